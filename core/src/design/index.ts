export * from './case';
export * from './trace';
export * from './flow';
export * from './rows';
export * from './cases';
export * from './select';
export * from './format';
