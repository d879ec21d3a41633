// Works at models off the page's thread, so that the page never waits and the work can be stopped.
import { expose } from 'comlink';
import { modelTasks } from './model-tasks';

expose(modelTasks);
