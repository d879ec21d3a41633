export * from './canonical';
export * from './hash';
export * from './ledger';
export * from './words';
export * from './keys';
export * from './group';
export * from './record';
export * from './record-format';
