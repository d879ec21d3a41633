export * from './endpoint';
export * from './field';
export * from './list';
export * from './problem';
export * from './record';
export * from './trace';
export * from './routes';
