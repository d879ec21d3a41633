export * from './requirement';
export * from './csv';
export * from './format';
export * from './wording';
export * from './baseline';
export * from './review';
export * from './matrix';
export * from './gaps';
