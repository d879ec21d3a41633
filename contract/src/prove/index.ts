export * from './routes';
export * from './impact';
export * from './threads';
