import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { useProject } from '../live';
import { Icon } from '../ui/icon';
import { Device } from './device';

/** How much of what was done here the server does not have yet, and whether it can be reached; where one looks into it. */
@Component({
  selector: 'cp-kept-here',
  imports: [Icon, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (words(); as w) {
      <a [class]="'tag ' + (refused() ? 'broken' : 'waiting')" role="status" [routerLink]="['/', scope.slug(), 'run', 'device']"
        ><cp-icon [name]="device.away() ? 'cloud_off' : refused() ? 'warning' : 'cloud_done'" />
        <b>{{ device.waiting().length || '' }}</b><span>{{ w }}</span></a
      >
    }
  `,
  styles: `
    a {
      text-decoration: none;
      white-space: nowrap;
    }
    b:not(:empty) {
      margin: 0 4px;
    }
    @media (max-width: 480px) {
      span {
        position: absolute;
        width: 1px;
        overflow: hidden;
        clip-path: inset(50%);
      }
    }
    @media (pointer: coarse) {
      a {
        min-height: 44px;
        display: inline-flex;
        align-items: center;
      }
    }
  `,
})
export class KeptHere {
  protected readonly device = inject(Device);
  protected readonly scope = useProject();
  protected readonly refused = computed(() => this.device.waiting().some(({ problem }) => problem));
  protected readonly words = computed(() => {
    const kept = this.device.waiting().length;
    if (this.refused()) return 'not taken';
    if (kept && this.device.signedOut()) return 'to send: sign in';
    if (kept) return 'kept here';
    return this.device.away() ? 'No connection' : '';
  });
}
