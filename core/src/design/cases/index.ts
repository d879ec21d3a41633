export * from './placeholder';
export * from './call';
export * from './outline';
export * from './sheet';
export * from './tree-plan';
export * from './round';
export * from './faults';
