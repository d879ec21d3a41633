export * from './profile';
export * from './reason';
export * from './cord-input';
export * from './cord';
export * from './totals';
export * from './drawing';
export * from './pack';
export * from './standing-runs';
