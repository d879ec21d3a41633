import { layoutOf, partedAt, type WrittenText } from './html';

describe('a text that is parted at the cursor', () => {
  /** The editor as it shows a text, with the cursor so far into the text node that holds some words. */
  const cursor = (of: WrittenText, words: string): Element => {
    const editor = document.createElement('div');
    editor.innerHTML = layoutOf(of);
    document.body.append(editor);
    const walker = document.createTreeWalker(editor, NodeFilter.SHOW_TEXT);
    for (let node = walker.nextNode(); node; node = walker.nextNode()) {
      const at = (node as Text).data.indexOf(words);
      if (at >= 0) document.getSelection()?.setBaseAndExtent(node, at, node, at);
    }
    return editor;
  };
  const parts = (of: WrittenText, words: string) => {
    const editor = cursor(of, words);
    const found = partedAt(editor, of);
    editor.remove();
    return found;
  };

  it('is two of lines where it has nothing else', () => {
    const of = { text: 'It shall close.\nIt shall lock.\nIt shall ring.' };
    expect(parts(of, 'shall lock')).toEqual([{ text: 'It shall close.\nIt' }, { text: 'shall lock.\nIt shall ring.' }]);
    expect(parts(of, 'It shall lock')).toEqual([{ text: 'It shall close.' }, { text: 'It shall lock.\nIt shall ring.' }]);
  });

  it('keeps its blocks whole where it has more than lines', () => {
    const of = {
      text: 'It shall:\nclose\nlock\nAt once.',
      html: '<p>It shall:</p><ul><li>close</li><li>lock</li></ul><p>At <b>once</b>.</p>',
    };
    const [first, second] = parts(of, 'once') ?? [];
    expect(first?.html).toBe('<p>It shall:</p><ul><li>close</li><li>lock</li></ul>');
    expect(second).toEqual({ text: 'At once.', html: '<p>At <b>once</b>.</p>' });
    expect(parts(of, 'lock')?.[0]).toEqual({ text: 'It shall:' });
  });

  it('is none at its ends, nor where the cursor stands elsewhere', () => {
    const of = { text: 'It shall close.' };
    expect(parts(of, 'It')).toBeUndefined();
    const editor = cursor(of, 'shall');
    expect(partedAt(document.createElement('div'), of)).toBeUndefined();
    document.getSelection()?.removeAllRanges();
    expect(partedAt(editor, of)).toBeUndefined();
    editor.remove();
  });
});
