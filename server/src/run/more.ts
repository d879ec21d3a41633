import { caseFormat, type CaseContent } from '@core/design';
import { noMore, saysMoreOfRun, type DeviceNote, type HandedIn, type RunMore } from '@core/run';
import type { RecordFormat } from '@core/base';
import { statementOfMany, type Db, type Tx, type Writing } from '../base';
import { runDetailRows, runDeviceRows } from './rows';
import { runDetails, runDevices, type runs } from './tables';

export type StoredRunDetails = typeof runDetails.$inferSelect;
type StoredDevice = typeof runDevices.$inferSelect;

const detailRows = statementOfMany(runDetails.id, (db, where) => db.select().from(runDetails).where(where));
const deviceRows = statementOfMany(runDevices.id, (db, where) => db.select().from(runDevices).where(where));

/** What runs have beside their steps, by their ids; runs without a row have nothing of it. */
export const runDetailsOf = async (db: Db | Tx, ids: readonly number[]): Promise<Map<number, StoredRunDetails>> =>
  new Map((await detailRows(db, ids, {})).map((row) => [row.id, row]));

/** What was recorded of runs away from the server, by their ids; most have no row. */
export const runDevicesOf = async (db: Db | Tx, ids: readonly number[]): Promise<Map<number, StoredDevice>> =>
  new Map((await deviceRows(db, ids, {})).map((row) => [row.id, row]));

/** What of it belongs to the record that is signed. */
export const moreOf = (row: StoredRunDetails | undefined, device?: StoredDevice): RunMore => ({
  ...noMore,
  ...(row && { conclusion: row.conclusion, redlines: row.redlines, performedBy: row.performedBy, clock: row.clock }),
  ...(device && { device: device.notes }),
});

type Formatted = Pick<typeof runs.$inferSelect, 'id' | 'format'>;

/** What belongs to the record of each of these runs beside its steps: nobody is asked about those whose format holds nothing of it. */
export async function moreOfRuns(db: Db | Tx, of: readonly Formatted[]): Promise<Map<number, RunMore>> {
  const having = (from: RecordFormat): number[] => of.filter(({ format }) => format >= from).map(({ id }) => id);
  const [details, devices] = [await runDetailsOf(db, having(6)), await runDevicesOf(db, having(7))];
  return new Map(having(6).map((id) => [id, moreOf(details.get(id), devices.get(id))]));
}

/** The format in which a run is hashed: the seventh where it was recorded away from the server, the sixth where it has more than steps, else that of its case. */
export const runFormat = (frozen: CaseContent, more: RunMore): RecordFormat =>
  more.device.length ? 7 : saysMoreOfRun(more) ? 6 : caseFormat(frozen);

/** The format that a run which is open has once it holds something of the sixth. */
export const sixth = (format: RecordFormat): RecordFormat => (format > 6 ? format : 6);

/** Stores a change of what a run has beside its steps. Belongs to the entry logged before. */
export async function putRunDetails(w: Writing, id: number, change: Partial<Omit<StoredRunDetails, 'id' | 'projectId'>>): Promise<void> {
  const { conclusion, redlines, performedBy, clock } = noMore;
  const values = { conclusion, redlines, performedBy, clock, due: null, priority: '', position: null, ...change };
  if (!Object.keys(change).length) return;
  await w.tx
    .insert(runDetails)
    .values({ id, projectId: w.actor.projectId, ...values })
    .onDuplicateKeyUpdate({ set: change });
  w.wrote(runDetailRows, id);
}

/** Notes what was recorded of a run away from the server, beside what is there of it. Belongs to the entry logged before. */
export async function putRunDevice(
  w: Writing,
  id: number,
  more: { readonly note?: DeviceNote | undefined; readonly handedIn?: HandedIn },
): Promise<readonly DeviceNote[]> {
  const known = (await runDevicesOf(w.tx, [id])).get(id);
  const notes = [...(known?.notes ?? []), ...(more.note ? [more.note] : [])];
  const handedIn = [...(known?.handedIn ?? []), ...(more.handedIn ? [more.handedIn] : [])];
  await w.tx
    .insert(runDevices)
    .values({ id, projectId: w.actor.projectId, notes, handedIn })
    .onDuplicateKeyUpdate({ set: { notes, handedIn } });
  w.wrote(runDeviceRows, id);
  return notes;
}
