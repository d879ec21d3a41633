import {
  ApplicationRef,
  ChangeDetectionStrategy,
  Component,
  createComponent,
  effect,
  ElementRef,
  EnvironmentInjector,
  inject,
  input,
  SecurityContext,
  type ComponentRef,
} from '@angular/core';
import { DomSanitizer } from '@angular/platform-browser';
import type { RecordRef } from '@core/base';
import { useProject } from '../live';
import { RecordLink } from '../ui/record-link';
import { replaceKeys, shownFiles } from './html';

function paragraph(line: string): HTMLElement {
  const element = document.createElement('p');
  element.textContent = line;
  return element;
}

/** A text as it was laid out. The keys of records in it are links with their peek; pictures come from the record's files. */
@Component({
  selector: 'cp-rich-text',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: '',
  host: { class: 'rich' },
})
export class RichText {
  readonly text = input.required<string>();
  readonly html = input<string>();
  /** The records whose keys stand in it. */
  readonly mentions = input<readonly RecordRef[]>([]);
  private readonly scope = useProject();
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly app = inject(ApplicationRef);
  private readonly environmentInjector = inject(EnvironmentInjector);
  private readonly sanitizer = inject(DomSanitizer);

  constructor() {
    effect((onCleanup) => {
      const html = this.html();
      // Cleaned by the server before it was stored, and here once more; words alone need no reading.
      if (html === undefined) this.host.replaceChildren(...this.text().split('\n').map(paragraph));
      else this.host.innerHTML = this.sanitizer.sanitize(SecurityContext.HTML, shownFiles(html, this.scope.slug())) ?? '';
      const links: ComponentRef<RecordLink>[] = [];
      replaceKeys(this.host, this.mentions(), ({ kind, key }) => {
        const link = createComponent(RecordLink, {
          environmentInjector: this.environmentInjector,
          hostElement: document.createElement('cp-record'),
        });
        link.setInput('kind', kind);
        link.setInput('key', key);
        this.app.attachView(link.hostView);
        links.push(link);
        return link.location.nativeElement as HTMLElement;
      });
      onCleanup(() => links.forEach((link) => link.destroy()));
    });
  }
}
