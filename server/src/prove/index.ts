export * from './tables';
export * from './facts';
export * from './projector';
export * from './projections';
export * from './integrity';
export * from './check';
export * from './pack';
export * from './routes';
