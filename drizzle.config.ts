import { defineConfig } from 'drizzle-kit';

export default defineConfig({ dialect: 'mysql', schema: './server/src/*/tables.ts', out: './server/migrations' });
