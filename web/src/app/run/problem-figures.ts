import { ChangeDetectionStrategy, Component, computed, effect, inject, untracked } from '@angular/core';
import { Router } from '@angular/router';
import * as echarts from 'echarts/core';
import { BarChart, LineChart } from 'echarts/charts';
import { GridComponent, LegendComponent, TooltipComponent } from 'echarts/components';
import { SVGRenderer } from 'echarts/renderers';
import { NgxEchartsDirective, provideEchartsCore } from 'ngx-echarts';
import { onChanged, token, useProject } from '../base';
import { runCommands, runFeature } from './state';

echarts.use([BarChart, LineChart, GridComponent, LegendComponent, TooltipComponent, SVGRenderer]);
interface Pressed {
  readonly name?: string;
  readonly seriesName?: string;
}

/** Problem reports in figures: against which requirements, how severe, found against closed; each segment leads to its list. */
@Component({
  selector: 'cp-problem-figures',
  imports: [NgxEchartsDirective],
  providers: [provideEchartsCore({ echarts })],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (of(); as f) {
      @if (f.days.length) {
        @for (chart of charts(); track chart.title) {
          <section class="sheet pad">
            <h2>{{ chart.title }}</h2>
            <div
              echarts
              role="img"
              [style.height.px]="chart.height"
              [attr.aria-label]="chart.label"
              [options]="chart.options"
              [initOpts]="{ renderer: 'svg' }"
              (chartClick)="press(chart.by, $event)"
            ></div>
          </section>
        }
      } @else {
        <div class="empty">
          <h2>No problem report</h2>
          <p>A failed step opens one, filled from its run.</p>
        </div>
      }
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 16px;
    }
  `,
})
export class ProblemFiguresView {
  private readonly scope = useProject();
  private readonly router = inject(Router);
  protected readonly of = this.scope.store.selectSignal(runFeature.selectFigures);
  protected readonly charts = computed(() => {
    const f = this.of();
    if (!f) return [];
    const [ink, hair, cord, broken, waiting] = ['--ink-2', '--hairline', '--cord', '--broken', '--waiting'].map(token);
    const axis = { axisLabel: { color: ink }, axisLine: { lineStyle: { color: hair } }, splitLine: { lineStyle: { color: hair } } };
    const base = {
      animation: false,
      textStyle: { fontFamily: 'Source Sans 3, sans-serif' },
      tooltip: { trigger: 'item' },
      legend: { top: 0, textStyle: { color: ink } },
    };
    const grid = { left: 8, right: 12, top: 28, bottom: 8, outerBoundsMode: 'same', outerBoundsContain: 'axisLabel' };
    const requirements = f.byRequirement.slice(0, 20);
    const months = [...new Set(f.bySeverity.map(({ month }) => month))];
    const severities = [...new Set(f.bySeverity.map(({ severity }) => severity))];
    return [
      {
        by: 'requirement' as const,
        title: 'Against requirements',
        height: 60 + 24 * requirements.length,
        label: requirements.map((r) => `${r.key}: ${r.open} open, ${r.closed} closed`).join('; '),
        options: {
          ...base,
          grid,
          xAxis: { type: 'value', minInterval: 1, ...axis },
          yAxis: { type: 'category', data: requirements.map((r) => r.key), inverse: true, ...axis },
          series: [
            {
              name: 'open',
              type: 'bar',
              stack: 'all',
              barMaxWidth: 14,
              itemStyle: { color: broken },
              data: requirements.map((r) => r.open),
            },
            {
              name: 'closed',
              type: 'bar',
              stack: 'all',
              barMaxWidth: 14,
              itemStyle: { color: cord },
              data: requirements.map((r) => r.closed),
            },
          ],
        },
      },
      {
        by: 'severity' as const,
        title: 'By severity, month by month',
        height: 200,
        label: f.bySeverity.map((s) => `${s.month} ${s.severity || 'not said'}: ${s.count}`).join('; '),
        options: {
          ...base,
          grid,
          xAxis: { type: 'category', data: months, ...axis },
          yAxis: { type: 'value', minInterval: 1, ...axis },
          series: severities.map((severity, i) => ({
            name: severity || 'not said',
            type: 'bar',
            stack: 'all',
            barMaxWidth: 40,
            itemStyle: { color: [waiting, broken, cord, ink][i % 4], opacity: i > 3 ? 0.6 : 1 },
            data: months.map((month) => f.bySeverity.find((s) => s.month === month && s.severity === severity)?.count ?? 0),
          })),
        },
      },
      {
        by: 'state' as const,
        title: 'Found against closed',
        height: 200,
        label: f.days.map((d) => `${d.day}: ${d.found} found, ${d.closed} closed`).join('; '),
        options: {
          ...base,
          grid,
          xAxis: { type: 'category', data: f.days.map(({ day }) => day), ...axis },
          yAxis: { type: 'value', minInterval: 1, ...axis },
          series: [
            { name: 'found', type: 'line', data: f.days.map((d) => d.found), lineStyle: { color: broken }, itemStyle: { color: broken } },
            { name: 'closed', type: 'line', data: f.days.map((d) => d.closed), lineStyle: { color: cord }, itemStyle: { color: cord } },
          ],
        },
      },
    ];
  });

  constructor() {
    const read = (): void => this.scope.store.dispatch(runCommands.problemFigures.start({ project: this.scope.slug() }));
    effect(() => {
      this.scope.slug();
      untracked(read);
    });
    onChanged(['problem'], read);
  }

  /** The list behind a segment. */
  protected press(by: 'requirement' | 'severity' | 'state', { name, seriesName }: Pressed): void {
    const f =
      by === 'requirement'
        ? `requirement:${name} state:${seriesName}`
        : by === 'severity'
          ? seriesName === 'not said'
            ? ''
            : `severity:"${seriesName}"`
          : seriesName === 'closed'
            ? 'state:closed'
            : '';
    void this.router.navigate(['/', this.scope.slug(), 'run', 'problems'], { queryParams: { f, v: 'all' } });
  }
}
