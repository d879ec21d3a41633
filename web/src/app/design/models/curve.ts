import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import * as echarts from 'echarts/core';
import { LineChart } from 'echarts/charts';
import { GridComponent, TooltipComponent } from 'echarts/components';
import { SVGRenderer } from 'echarts/renderers';
import { NgxEchartsDirective, provideEchartsCore } from 'ngx-echarts';
import { token } from '../../base';

echarts.use([LineChart, GridComponent, TooltipComponent, SVGRenderer]);

/** The share of combinations that is covered after each row: where one can stop. */
@Component({
  selector: 'cp-curve',
  imports: [NgxEchartsDirective],
  providers: [provideEchartsCore({ echarts })],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div
    echarts
    class="chart"
    role="img"
    [attr.aria-label]="label()"
    [options]="options()"
    [initOpts]="{ renderer: 'svg' }"
  ></div>`,
  styles: `
    .chart {
      height: 150px;
    }
  `,
})
export class Curve {
  /** From 0 to 1, after each row. */
  readonly of = input.required<readonly number[]>();
  readonly label = input.required<string>();
  protected readonly options = computed(() => {
    const [ink, line, cord] = [token('--ink-2'), token('--hairline'), token('--cord')];
    return {
      animation: false,
      grid: { left: 40, right: 12, top: 12, bottom: 24 },
      tooltip: { trigger: 'axis', valueFormatter: (value: unknown) => `${String(value)} %` },
      xAxis: {
        type: 'category',
        data: this.of().map((_, i) => i + 1),
        axisLine: { lineStyle: { color: line } },
        axisLabel: { color: ink },
      },
      yAxis: { type: 'value', max: 100, axisLabel: { color: ink, formatter: '{value} %' }, splitLine: { lineStyle: { color: line } } },
      series: [
        {
          type: 'line',
          step: 'end',
          symbol: this.of().length > 60 ? 'none' : 'circle',
          data: this.of().map((share) => Math.round(share * 1000) / 10),
          lineStyle: { color: cord },
          itemStyle: { color: cord },
          areaStyle: { color: cord, opacity: 0.08 },
        },
      ],
    };
  });
}
