export * from './tables';
export * from './calls';
export * from './cases';
