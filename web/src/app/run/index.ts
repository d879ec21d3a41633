import type { Routes } from '@angular/router'; export const runRoutes: Routes = [];
