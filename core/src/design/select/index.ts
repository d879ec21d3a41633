export * from './needed';
export * from './cover';
