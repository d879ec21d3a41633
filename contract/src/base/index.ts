export * from './endpoint';
export * from './problem';
export * from './routes';
