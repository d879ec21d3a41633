export * from './verdict';
export * from './record';
