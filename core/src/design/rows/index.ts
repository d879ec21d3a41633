export * from './parameter';
export * from './single';
export * from './combine';
export { orthogonalRows, twoValuedRows } from './arrays';
export * from './decision-table';
export * from './state-table';
export * from './words';
export * from './samples';
