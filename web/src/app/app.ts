import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterOutlet } from '@angular/router';
import { theme } from './base';

@Component({ selector: 'cp-root', imports: [RouterOutlet], changeDetection: ChangeDetectionStrategy.OnPush, template: `<router-outlet />` })
export class App {
  constructor() {
    theme.follow();
  }
}
