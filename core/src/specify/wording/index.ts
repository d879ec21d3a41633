export * from './lists';
export * from './quantities';
export * from './check';
