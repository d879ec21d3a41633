export * from './routes';
export * from './comparison';
export * from './results';
export * from './carried-runs';
export * from './planning';
export * from './problem-life';
export * from './redlines';
export * from './problems';
