import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { getCaseReadings, type CaseReadings } from '@contract/run';
import { groupBy } from '@core/base';
import { judgeReading, limitsOf, typedNumber } from '@core/design';
import * as echarts from 'echarts/core';
import { LineChart } from 'echarts/charts';
import { GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components';
import { SVGRenderer } from 'echarts/renderers';
import { NgxEchartsDirective, provideEchartsCore } from 'ngx-echarts';
import { Api, token, useProject } from '../../base';

echarts.use([LineChart, GridComponent, MarkLineComponent, TooltipComponent, SVGRenderer]);

/** What was read in the runs of a case, reading by reading over the runs, with its limits: a drift is seen before it fails. */
@Component({
  selector: 'cp-case-readings',
  imports: [NgxEchartsDirective],
  providers: [provideEchartsCore({ echarts })],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (chart of charts(); track chart.name) {
      <div>
        <h3>{{ chart.title }}</h3>
        <div
          echarts
          class="chart"
          role="img"
          [attr.aria-label]="chart.label"
          [options]="chart.options"
          [initOpts]="{ renderer: 'svg' }"
        ></div>
      </div>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
    }
    .chart {
      height: 170px;
    }
  `,
})
export class CaseReadingsChart {
  readonly key = input.required<string>();
  /** How many runs it has: with another one the readings are read again. */
  readonly runs = input(0);
  private readonly scope = useProject();
  private readonly api = inject(Api);
  private readonly readings = signal<CaseReadings>([]);
  protected readonly charts = computed(() =>
    [...groupBy(this.readings(), ({ step, name, unit }) => `${step}\n${name}\n${unit}`)].flatMap(([name, list]) => {
      const points = list.flatMap((reading) => {
        const value = typedNumber(reading.value);
        return value === undefined ? [] : [{ ...reading, value }];
      });
      const last = list[list.length - 1];
      if (!points.length) return [];
      const limits = limitsOf(last);
      const [ink, hair, cord, broken] = [token('--ink-2'), token('--hairline'), token('--cord'), token('--broken')];
      const lines = [limits?.low, limits?.high].flatMap((at) => (at === undefined ? [] : [{ yAxis: at }]));
      return [
        {
          name,
          title: `${last.name}${last.unit ? `, ${last.unit}` : ''} at step ${last.step}: ${last.limits}`,
          label: points.map(({ run, value }) => `${run} ${value}`).join(', '),
          options: {
            animation: false,
            textStyle: { fontFamily: 'Source Sans 3, sans-serif' },
            grid: { left: 48, right: 16, top: 12, bottom: 24 },
            tooltip: { trigger: 'axis' },
            xAxis: {
              type: 'category',
              data: points.map(({ run, row }) => (row === null ? run : `${run} ${row}`)),
              axisLabel: { color: ink },
              axisLine: { lineStyle: { color: hair } },
            },
            yAxis: { type: 'value', scale: true, axisLabel: { color: ink }, splitLine: { lineStyle: { color: hair } } },
            series: [
              {
                type: 'line',
                symbolSize: 9,
                data: points.map((point) => ({
                  value: point.value,
                  // Outside its limits by shape first: a diamond.
                  symbol: judgeReading(point, String(point.value))?.verdict === 'fail' ? 'diamond' : 'circle',
                  itemStyle: { color: judgeReading(point, String(point.value))?.verdict === 'fail' ? broken : cord },
                })),
                lineStyle: { color: cord },
                markLine: {
                  symbol: 'none',
                  silent: true,
                  lineStyle: { color: ink, type: 'dashed' },
                  label: { color: ink },
                  data: lines,
                },
              },
            ],
          },
        },
      ];
    }),
  );

  constructor() {
    effect(() => {
      const at = { project: this.scope.slug(), key: this.key() };
      this.runs();
      untracked(() => void this.read(at));
    });
  }

  private async read(at: { project: string; key: string }): Promise<void> {
    // What cannot be read now is read with the next change.
    const readings = await this.api.call(getCaseReadings, at).catch(() => []);
    if (at.key === this.key()) this.readings.set(readings);
  }
}
