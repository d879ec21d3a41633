export * from './tables';
export * from './store';
export * from './credit';
export * from './code';
export * from './load';
export * from './load-sources';
export * from './uploads';
export * from './routes';
