import type { Routes } from '@angular/router'; export const measureRoutes: Routes = [];
