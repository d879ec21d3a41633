export * from './write';
export * from './read';
export * from './kept';
export { withPictures } from './layout';
