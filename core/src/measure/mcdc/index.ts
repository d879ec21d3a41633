export * from './vector';
export * from './expression';
export * from './truth';
export * from './independence';
export * from './smallest';
