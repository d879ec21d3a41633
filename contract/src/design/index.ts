export * from './content';
export * from './routes';
export * from './models';
export * from './library';
export * from './drafts';
export * from './copies';
