export * from './model';
export * from './made';
export * from './coverage';
