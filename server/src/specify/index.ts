export * from './tables';
export * from './store';
export * from './requirements';
export * from './place';
export * from './import';
import './bulk';
export * from './routes';
export { reviewsWaiting } from './reviews';
