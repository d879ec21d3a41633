import { defineConfig } from 'drizzle-kit';

export default defineConfig({
  dialect: 'mysql',
  schema: ['./server/src/*/tables.ts', './server/src/base/projected.ts', './server/src/base/work-tables.ts'],
  out: './server/migrations',
});
