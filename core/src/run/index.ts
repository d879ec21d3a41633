export * from './verdict';
export * from './record';
export * from './format';
export * from './passing';
