// Lays out graphs off the page's thread: where there is no document, this file of elkjs listens to messages.
import 'elkjs/lib/elk-worker.min.js';
