import { canonicalJson, type Json } from '@core/base';
import { bigint, char, customType } from 'drizzle-orm/mysql-core';

/** A JSON value kept as canonical text: MariaDB's own JSON type is text as well, and would come back unparsed. */
export const jsonText = <T>(name: string) =>
  customType<{ data: T; driverData: string }>({
    dataType: () => 'mediumtext',
    toDriver: (value) => canonicalJson(value as unknown as Json),
    fromDriver: (text) => JSON.parse(text) as T,
  })(name);

export const mediumBlob = customType<{ data: Buffer; driverData: Buffer }>({ dataType: () => 'mediumblob' });
export const longBlob = customType<{ data: Buffer; driverData: Buffer }>({ dataType: () => 'longblob' });
export const mediumText = customType<{ data: string; driverData: string }>({ dataType: () => 'mediumtext' });
/** Text that is found whatever the case of its letters. */
export const searchText = customType<{ data: string; driverData: string }>({
  dataType: () => 'mediumtext character set utf8mb4 collate utf8mb4_general_ci',
});

/** A moment as ISO 8601 in UTC with milliseconds: exact, sortable, the same in the ledger and on the wire. */
export const moment = (name: string) => char(name, { length: 24 });
export const rowId = () => bigint('id', { mode: 'number' }).autoincrement().primaryKey();
export const ref = (name: string) => bigint(name, { mode: 'number' });
export const hashColumn = (name: string) => char(name, { length: 64 });
