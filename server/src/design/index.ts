export * from './tables';
export * from './cases';
