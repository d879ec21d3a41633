import type { Routes } from '@angular/router'; export const designRoutes: Routes = [];
