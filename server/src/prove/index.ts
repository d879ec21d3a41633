export * from './board';
export * from './pack';
export * from './routes';
