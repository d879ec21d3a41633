import { expose } from 'comlink';
import { decodeText, previewRequirements, type ColumnMapping, type ImportContext } from '@core/specify';

/** Reads and checks tables beside the page, so that 50,000 rows do not hold it up. */
const importing = {
  decode: (bytes: Uint8Array) => decodeText(bytes),
  preview: (csv: string, mapping: ColumnMapping | undefined, context: ImportContext) => previewRequirements(csv, mapping, context),
};
export type Importing = typeof importing;

expose(importing);
