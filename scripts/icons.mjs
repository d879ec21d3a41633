// Writes web/src/app/base/ui/icons.generated.ts from the outlined Material Symbols that the application uses.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
const names =
  'edit_note account_tree menu_book library_books monitoring verified history search notifications keyboard_arrow_down deployed_code filter_list check close contrast block image add delete drag_indicator arrow_upward arrow_downward download upload_file link link_off trending_up add_link rule signature lock person logout dark_mode light_mode keyboard settings group description play_arrow flag bug_report refresh chevron_right chevron_left folder_zip cancel warning info visibility attach_file schedule swap_vert undo save approval_delegation draw assignment_turned_in difference arrow_forward more_horiz open_in_new key content_paste checklist draft today fact_check stacks table view_column format_bold format_italic code subscript superscript format_list_bulleted format_list_numbered add_photo_alternate folder content_cut content_copy redo straighten photo_camera fit_screen terminal bolt cloud_off cloud_done hub forum timeline right_panel_close right_panel_open crop_square square arrow_outward'.split(
    ' ',
  );
const out = {};
for (const name of names) {
  try {
    const svg = readFileSync(`node_modules/@material-symbols/svg-400/outlined/${name}.svg`, 'utf8');
    // Each is one path in the same square.
    out[name] = /viewBox="0 -960 960 960"><path d="([^"]+)"\/><\/svg>$/.exec(svg.trim())[1];
  } catch {
    console.log(`no icon ${name}`);
  }
}
mkdirSync('web/src/app/base/ui', { recursive: true });
writeFileSync(
  'web/src/app/base/ui/icons.generated.ts',
  `// Written by scripts/icons.mjs: the path of each, in a square of 960 units above its line.\nexport const icons: Readonly<Record<string, string>> = ${JSON.stringify(out, null, 1)};\n`,
);
