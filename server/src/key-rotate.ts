import { addressFromEnvironment } from './address';
import { openDatabase } from './base';
import { rotateKey } from './prove';
import './rooms';

const database = openDatabase(addressFromEnvironment());
const key = await rotateKey(database.db);
console.log(`Key ${key.id} signs from now on; the key before signed it. Its fingerprint, to be given to auditors on another way:`);
console.log(key.fingerprint);
await database.close();
