import tseslint from 'typescript-eslint';
import angular from 'angular-eslint';
import importPlugin from 'eslint-plugin-import';
import regexp from 'eslint-plugin-regexp';

const rooms = ['base', 'specify', 'design', 'run', 'measure', 'prove'];
/** Within a package an area is entered only through its index.ts. */
const roomZones = (pkg) =>
  rooms.map((room) => ({
    target: `./${pkg}/!(${room})/**/*`,
    from: `./${pkg}/${room}`,
    // What a room gives its specs to test with stands beside its index.
    except: ['./index.ts', './testing.ts'],
    message: `Import the ${room} room through its index.ts.`,
  }));
const wall = (target, from, message) => ({ target: `./${target}`, from: from.map((f) => `./${f}`), message });

/** Angular drops a space that stands alone between two elements: the words on both sides run together. */
const keptSpace = {
  meta: { type: 'problem', fixable: 'code', schema: [], messages: { lost: 'Angular drops this space: write &ngsp; instead.' } },
  create: (context) => ({
    'Element + Text'({ sourceSpan: { fullStart: start, end } }) {
      const { text } = context.sourceCode;
      if (!/^ +$/.test(text.slice(start.offset, end.offset)) || text.startsWith('</', end.offset)) return;
      context.report({
        loc: { start: context.sourceCode.getLocFromIndex(start.offset), end: context.sourceCode.getLocFromIndex(end.offset) },
        messageId: 'lost',
        fix: (fixer) => fixer.replaceTextRange([start.offset, end.offset], '&ngsp;'),
      });
    },
  }),
};

export default tseslint.config(
  { ignores: ['dist', 'node_modules', '.data', '.angular', 'demo/coverage', '**/*.generated.ts'] },
  {
    files: ['**/*.ts'],
    extends: [...tseslint.configs.recommended],
    plugins: { import: importPlugin, regexp },
    settings: {
      'import/resolver': { typescript: { project: './tsconfig.json' } },
      'import/parsers': { '@typescript-eslint/parser': ['.ts'] },
    },
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      'max-lines': ['error', { max: 400, skipBlankLines: true, skipComments: true }],
      // No expression takes longer than its input is long: what people send decides nothing about our time.
      'regexp/no-super-linear-backtracking': ['error', { report: 'certain' }],
      'regexp/no-super-linear-move': ['error', { report: 'certain' }],
      'import/no-cycle': ['error', { ignoreExternal: true, maxDepth: 12 }],
      'import/no-restricted-paths': [
        'error',
        {
          basePath: import.meta.dirname,
          zones: [
            wall('core', ['contract', 'server', 'web', 'demo'], 'core imports nothing of ours.'),
            wall('contract', ['server', 'web', 'demo'], 'contract imports only types of core.'),
            wall('server', ['web', 'demo'], 'server imports contract and core.'),
            wall('web', ['server', 'demo'], 'web imports contract and core.'),
            ...roomZones('core/src'),
            ...roomZones('contract/src'),
            ...roomZones('server/src'),
            ...roomZones('web/src/app'),
          ],
        },
      ],
    },
  },
  {
    files: ['contract/src/**/*.ts'],
    rules: {
      'no-restricted-imports': 'off',
      '@typescript-eslint/no-restricted-imports': [
        'error',
        { patterns: [{ group: ['@core/*'], allowTypeImports: true, message: 'Types only.' }] },
      ],
    },
  },
  {
    files: ['core/src/**/*.ts'],
    ignores: ['**/*.spec.ts'],
    rules: { 'no-restricted-globals': ['error', 'window', 'document', 'process', 'Buffer', 'fetch', 'setTimeout', 'localStorage'] },
  },
  {
    files: ['web/**/*.ts'],
    extends: [...angular.configs.tsRecommended],
    processor: angular.processInlineTemplates,
    rules: { '@angular-eslint/component-selector': ['error', { type: 'element', prefix: 'cp', style: 'kebab-case' }] },
  },
  {
    files: ['web/**/*.html'],
    extends: [...angular.configs.templateRecommended, ...angular.configs.templateAccessibility],
    plugins: { ours: { rules: { 'kept-space': keptSpace } } },
    rules: { 'ours/kept-space': 'error' },
  },
);
