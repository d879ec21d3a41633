export * from './measurement';
export * from './lcov';
export * from './functions';
export * from './credit';
export * from './remedies';
