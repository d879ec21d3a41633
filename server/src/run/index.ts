export * from './tables';
export * from './store';
export * from './plan';
export * from './recording';
export * from './signing';
export * from './problems';
import './bulk';
export * from './routes';
export * from './cord-runs';
