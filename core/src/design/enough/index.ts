export * from './boundaries';
export * from './sufficiency';
