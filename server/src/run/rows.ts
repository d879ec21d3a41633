import { account } from '../base';
import { evidence, rounds, runs } from './tables';

export const roundRows = account({
  name: 'rounds',
  table: rounds,
  id: rounds.id,
  project: rounds.projectId,
  columns: [
    ['buildId', rounds.buildId],
    ['configuration', rounds.configuration],
    ['unit', rounds.unit],
    ['tools', rounds.tools],
  ],
});

export const runRows = account({
  name: 'runs',
  table: runs,
  id: runs.id,
  project: runs.projectId,
  columns: [
    ['roundId', runs.roundId],
    ['buildId', runs.buildId],
    ['caseId', runs.caseId],
    ['caseRevision', runs.caseRevision],
    ['frozen', runs.frozen],
    ['row', runs.row],
    ['configuration', runs.configuration],
    ['unit', runs.unit],
    ['tools', runs.tools],
    ['tester', runs.tester],
    ['steps', runs.steps],
    ['verdict', runs.verdict],
    ['failedStep', runs.failedStep],
    ['seconds', runs.seconds],
    ['startedAt', runs.startedAt],
    ['finishedAt', runs.finishedAt],
    ['finishedSeq', runs.finishedSeq],
    ['format', runs.format],
    ['hash', runs.hash],
    ['corrections', runs.corrections],
    ['deviationAccepted', runs.deviationAccepted],
    ['carriedOverTo', runs.carriedOverTo],
    ['setAside', runs.setAside],
    ['returnedAt', runs.returnedAt],
    ['withdrawnAt', runs.withdrawnAt],
    ['supersededById', runs.supersededById],
  ],
});

export const evidenceRows = account({
  name: 'evidence',
  table: evidence,
  id: evidence.id,
  project: evidence.projectId,
  columns: [
    ['runId', evidence.runId],
    ['step', evidence.step],
    ['name', evidence.name],
    ['mime', evidence.mime],
    ['bytes', evidence.bytes],
    ['sha256', evidence.sha256],
    ['removedAt', evidence.removedAt],
  ],
});
