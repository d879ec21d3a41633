export * from './tables';
export * from './store';
export * from './requirements';
export * from './import';
export * from './routes';
