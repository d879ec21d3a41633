import {
  ApplicationRef,
  ChangeDetectionStrategy,
  Component,
  createComponent,
  EnvironmentInjector,
  inject,
  Injectable,
  input,
} from '@angular/core';
import { MatSnackBar } from '@angular/material/snack-bar';
import type { Endpoint, Page } from '@contract/base';
import { Api } from '../api';
import { useProject } from '../live';
import type { ListColumn, ListKind } from './kind';
import type { ListRow } from './state';

/** More rows than this are a document, not a list: they are exported. */
const mostPrinted = 5000;

/** A list on paper: what it asks, when it was asked, and every row that it found. */
@Component({
  selector: 'cp-printed-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'printed' },
  template: `
    <h1>{{ title() }}</h1>
    <p>{{ about() }}</p>
    <table>
      <thead>
        <tr>
          @for (c of columns(); track c.name) {
            <th scope="col">{{ c.words }}</th>
          }
        </tr>
      </thead>
      <tbody>
        @for (r of rows(); track r.key) {
          <tr>
            @for (c of columns(); track c.name) {
              <td [class.number]="c.number">{{ c.show(r) }}</td>
            }
          </tr>
        }
      </tbody>
    </table>
  `,
})
class PrintedList {
  readonly title = input.required<string>();
  readonly about = input.required<string>();
  readonly columns = input.required<readonly ListColumn<ListRow>[]>();
  readonly rows = input.required<readonly ListRow[]>();
}

/** Prints a list: all that its question finds, read page by page, not only what is seen. */
@Injectable({ providedIn: 'root' })
export class ListPrinter {
  private readonly api = inject(Api);
  private readonly scope = useProject();
  private readonly notes = inject(MatSnackBar);
  private readonly application = inject(ApplicationRef);
  private readonly environment = inject(EnvironmentInjector);

  /** Reads what is printed; null where it is too much for paper. */
  private async read(endpoint: Endpoint, question: Readonly<Record<string, unknown>>): Promise<ListRow[] | null> {
    const rows: ListRow[] = [];
    for (let after: string | null = ''; after !== null;) {
      const page: Page<ListRow> = (await this.api.call(endpoint, {
        ...question,
        limit: 500,
        ...(after ? { after } : {}),
      } as never)) as Page<ListRow>;
      rows.push(...page.rows);
      if (rows.length > mostPrinted) return null;
      after = page.next;
    }
    return rows;
  }

  /** Prints what a question finds, in these columns; what is asked stands above it. */
  async print<R extends ListRow>(
    { endpoint, noun }: Pick<ListKind<R>, 'endpoint' | 'noun'>,
    question: Readonly<Record<string, unknown>>,
    columns: readonly ListColumn<R>[],
    asked: string,
  ): Promise<void> {
    const rows = await this.read(endpoint, question);
    if (!rows) {
      this.notes.open(`More than ${mostPrinted} ${noun[1]} are a document, not a list: export them, or ask for fewer.`, undefined, {
        duration: 6000,
      });
      return;
    }
    this.toPaper({
      title: `${this.scope.project()?.name ?? ''}: ${noun[1]}`,
      about: `${asked} · ${rows.length} ${rows.length === 1 ? noun[0] : noun[1]} · ledger entry ${this.scope.seq()}`,
      columns,
      rows,
    });
  }

  private toPaper(inputs: Readonly<Record<string, unknown>>): void {
    const hostElement = document.body.appendChild(document.createElement('div'));
    const made = createComponent(PrintedList, { environmentInjector: this.environment, hostElement });
    for (const [name, value] of Object.entries(inputs)) made.setInput(name, value);
    this.application.attachView(made.hostView);
    made.changeDetectorRef.detectChanges();
    document.body.classList.add('printing');
    addEventListener(
      'afterprint',
      () => {
        document.body.classList.remove('printing');
        made.destroy();
        hostElement.remove();
      },
      { once: true },
    );
    print();
  }
}
