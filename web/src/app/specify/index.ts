import type { Routes } from '@angular/router'; export const specifyRoutes: Routes = [];
