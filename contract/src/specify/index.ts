export * from './content';
export * from './routes';
export * from './wording';
export * from './baseline';
export * from './review';
export * from './matrix';
export * from './gaps';
export * from './propose';
