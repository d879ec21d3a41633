/** Prints a part of the page as it stands, without what is pressed or written in it. */
export function printPart(selector: string): void {
  const part = document.querySelector(selector);
  if (!part) return;
  const paper = part.cloneNode(true) as HTMLElement;
  paper.querySelectorAll('button,form,input,.no-print').forEach((element) => element.remove());
  paper.className = 'printed';
  document.body.append(paper);
  document.body.classList.add('printing');
  addEventListener(
    'afterprint',
    () => {
      document.body.classList.remove('printing');
      paper.remove();
    },
    { once: true },
  );
  print();
}
