export * from './requirement';
export * from './tree';
export * from './csv';
export * from './format';
