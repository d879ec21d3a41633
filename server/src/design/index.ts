export * from './tables';
export * from './calls';
export * from './store';
export * from './cases';
import './bulk';
export * from './routes';
