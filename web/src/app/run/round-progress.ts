import { ChangeDetectionStrategy, Component, computed, effect, input, output, untracked } from '@angular/core';
import * as echarts from 'echarts/core';
import { BarChart, LineChart } from 'echarts/charts';
import { GridComponent, LegendComponent, MarkLineComponent, TooltipComponent } from 'echarts/components';
import { SVGRenderer } from 'echarts/renderers';
import { NgxEchartsDirective, provideEchartsCore } from 'ngx-echarts';
import { token, useProject } from '../base';
import { runCommands, runFeature } from './state';

echarts.use([BarChart, LineChart, GridComponent, LegendComponent, MarkLineComponent, TooltipComponent, SVGRenderer]);

const tones: Readonly<Record<string, string>> = {
  passed: '--cord',
  deviation: '--waiting',
  failed: '--broken',
  blocked: '--ink',
  planned: '--hairline-strong',
};
const bys = ['person', 'configuration', 'folder'] as const;

/** How far a round is: planned minutes that were recorded day by day with the day on which it ends at that pace, and verdicts by person, configuration, folder. */
@Component({
  selector: 'cp-round-progress',
  imports: [NgxEchartsDirective],
  providers: [provideEchartsCore({ echarts })],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (of(); as p) {
      <details class="sheet pad">
        <summary>
          {{ minutes() }} of {{ p.planned }} planned minutes recorded{{ p.ends ? '; at this pace it ends on ' + p.ends : '' }}
        </summary>
        @if (p.days.length) {
          <div echarts class="chart" role="img" [attr.aria-label]="label()" [options]="line()" [initOpts]="{ renderer: 'svg' }"></div>
        }
        <div class="three">
          @for (chart of bars(); track chart.by) {
            <div>
              <h3>By {{ chart.by }}</h3>
              <div
                echarts
                class="bars"
                role="img"
                [style.height.px]="44 + 24 * chart.names.length"
                [attr.aria-label]="chart.label"
                [options]="chart.options"
                [initOpts]="{ renderer: 'svg' }"
                (chartClick)="press(chart.by, $event)"
              ></div>
            </div>
          }
        </div>
      </details>
    }
  `,
  styles: `
    summary {
      cursor: pointer;
      font-weight: 600;
    }
    .chart {
      height: 200px;
      margin-top: 8px;
    }
    .three {
      display: grid;
      grid-template-columns: repeat(auto-fit, minmax(240px, 1fr));
      gap: 16px;
    }
  `,
})
export class RoundProgressView {
  readonly key = input.required<string>();
  /** So many are recorded: with another one the progress is read again. */
  readonly recorded = input(0);
  /** A segment was pressed. */
  readonly asked = output<{ by: (typeof bys)[number]; name: string; verdict: string }>();
  private readonly scope = useProject();
  private readonly loaded = this.scope.store.selectSignal(runFeature.selectProgress);
  protected readonly of = computed(() => (this.loaded()?.key === this.key() ? this.loaded()?.of : undefined));
  protected readonly minutes = computed(() => this.of()?.days.at(-1)?.minutes ?? 0);
  protected readonly label = computed(() => {
    const days = this.of()?.days ?? [];
    return `Planned minutes recorded: ${days.map(({ day, minutes }) => `${day} ${minutes}`).join(', ')}`;
  });
  protected readonly line = computed(() => {
    const p = this.of();
    if (!p) return {};
    const [ink, hair, cord] = [token('--ink-2'), token('--hairline'), token('--cord')];
    const days = p.days.map(({ day }) => day);
    const points = [...days, ...(p.ends ? [p.ends] : [])];
    const last = p.days.at(-1);
    return {
      animation: false,
      textStyle: { fontFamily: 'Source Sans 3, sans-serif' },
      grid: { left: 48, right: 16, top: 28, bottom: 24 },
      legend: { top: 0, textStyle: { color: ink } },
      tooltip: { trigger: 'axis' },
      xAxis: { type: 'category', data: points, axisLabel: { color: ink }, axisLine: { lineStyle: { color: hair } } },
      yAxis: { type: 'value', max: p.planned || undefined, axisLabel: { color: ink }, splitLine: { lineStyle: { color: hair } } },
      series: [
        {
          name: 'recorded',
          type: 'line',
          data: p.days.map(({ minutes }) => minutes),
          lineStyle: { color: cord },
          itemStyle: { color: cord },
          areaStyle: { color: cord, opacity: 0.08 },
        },
        {
          name: 'at this pace',
          type: 'line',
          data: points.map((day) => (day === p.ends ? p.planned : day === last?.day ? last.minutes : null)),
          connectNulls: true,
          lineStyle: { color: token('--waiting'), type: 'dashed' },
          itemStyle: { color: token('--waiting') },
        },
      ],
    };
  });
  protected readonly bars = computed(() => {
    const p = this.of();
    if (!p) return [];
    const ink = token('--ink-2');
    return bys.map((by) => {
      const names = [...new Set(p.by[by].map(({ name }) => name))];
      const verdicts = Object.keys(tones).filter((verdict) => p.by[by].some((row) => row.verdict === verdict));
      return {
        by,
        names,
        label: p.by[by].map(({ name, verdict, runs }) => `${name}: ${runs} ${verdict}`).join(', '),
        options: {
          animation: false,
          textStyle: { fontFamily: 'Source Sans 3, sans-serif' },
          grid: { left: 8, right: 12, top: 4, bottom: 20, outerBoundsMode: 'same', outerBoundsContain: 'axisLabel' },
          tooltip: {},
          xAxis: { type: 'value', axisLabel: { color: ink }, minInterval: 1 },
          yAxis: { type: 'category', data: names, axisLabel: { color: ink, width: 110, overflow: 'truncate' } },
          series: verdicts.map((verdict) => ({
            name: verdict,
            type: 'bar',
            stack: 'all',
            barMaxWidth: 14,
            itemStyle: { color: token(tones[verdict]) },
            data: names.map((name) => p.by[by].find((row) => row.name === name && row.verdict === verdict)?.runs ?? 0),
          })),
        },
      };
    });
  });

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      this.recorded();
      untracked(() => this.scope.store.dispatch(runCommands.progress.start(at)));
    });
  }

  protected press(by: (typeof bys)[number], event: { name?: string; seriesName?: string }): void {
    this.asked.emit({ by, name: event.name ?? '', verdict: event.seriesName ?? '' });
  }
}
