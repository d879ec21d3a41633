export * from './case';
export * from './trace';
