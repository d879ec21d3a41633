export * from './units';
export * from './limits';
export * from './judge';
