// Lays out graphs off the page's thread: where there is no document, this file of elkjs listens to messages.
import 'elkjs/lib/elk-worker.min.js';
import type { ElkNode } from 'elkjs/lib/elk-api';
import { packed } from './packed';

// It answers with all that it was told and worked out, which takes the page longer to read than to draw: only the places go there, as numbers.
const answer = self.postMessage.bind(self);
self.postMessage = (said: { readonly data?: ElkNode }): void => {
  if (!said.data?.children) return answer(said);
  const { places, buffers } = packed(said.data);
  answer({ ...said, data: places }, { transfer: buffers });
};
