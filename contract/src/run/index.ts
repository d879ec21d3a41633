export * from './routes';
export * from './comparison';
export * from './results';
export * from './planning';
export * from './problem-life';
export * from './redlines';
export * from './problems';
