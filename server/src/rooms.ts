/** Every room, so that all tables that the ledger accounts for are known. */
import './base';
import './specify';
import './design';
import './run';
import './measure';
