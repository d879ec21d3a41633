import { doParse, type Carried } from './base';
import './rooms';

/** Parses what came from outside in this thread. */
export default function parse({ name, input }: { name: string; input: unknown }): Promise<Carried> {
  return doParse(name, input);
}
