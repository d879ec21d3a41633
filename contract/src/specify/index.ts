export * from './routes';
