export * from './tables';
export * from './load';
export * from './facts';
export * from './code';
export * from './routes';
