export * from './tables';
export * from './calls';
export * from './store';
export * from './cases';
export * from './routes';
