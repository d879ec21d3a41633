export * from './flow';
export * from './guard';
export * from './json';
export * from './mermaid';
export * from './criteria';
export * from './loops';
export * from './fewest';
export * from './path-case';
