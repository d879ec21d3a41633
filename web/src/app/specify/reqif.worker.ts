// Reads ReqIF documents off the page's thread, so that the page never waits and the reading can be stopped.
import { expose } from 'comlink';
import { reqifTasks } from './reqif-tasks';

expose(reqifTasks);
