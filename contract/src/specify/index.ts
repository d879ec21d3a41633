export * from './routes';
export * from './wording';
