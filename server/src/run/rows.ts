import { account } from '../base';
import {
  configurationPlans,
  evidence,
  problemDetails,
  problemLives,
  resultItems,
  resultMappings,
  resultUploads,
  roundDetails,
  rounds,
  runDetails,
  runDevices,
  runs,
  trackerLinks,
  trackers,
} from './tables';

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
  // Runs of one case begin with the same copy of it, and with the same steps that nobody recorded yet.
  alike: [runs.frozen, runs.steps],
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

export const runDetailRows = account({
  name: 'run_details',
  table: runDetails,
  id: runDetails.id,
  project: runDetails.projectId,
  columns: [
    ['conclusion', runDetails.conclusion],
    ['redlines', runDetails.redlines],
    ['performedBy', runDetails.performedBy],
    ['clock', runDetails.clock],
    ['due', runDetails.due],
    ['priority', runDetails.priority],
    ['position', runDetails.position],
  ],
});

export const runDeviceRows = account({
  name: 'run_devices',
  table: runDevices,
  id: runDevices.id,
  project: runDevices.projectId,
  columns: [
    ['notes', runDevices.notes],
    ['handedIn', runDevices.handedIn],
  ],
});

export const roundDetailRows = account({
  name: 'round_details',
  table: roundDetails,
  id: roundDetails.id,
  project: roundDetails.projectId,
  columns: [
    ['folder', roundDetails.folder],
    ['due', roundDetails.due],
    ['isPattern', roundDetails.isPattern],
  ],
});

export const configurationRows = account({
  name: 'configuration_plans',
  table: configurationPlans,
  id: configurationPlans.projectId,
  project: configurationPlans.projectId,
  columns: [
    ['dimensions', configurationPlans.dimensions],
    ['exclusions', configurationPlans.exclusions],
  ],
});

export const problemDetailRows = account({
  name: 'problem_details',
  table: problemDetails,
  id: problemDetails.id,
  project: problemDetails.projectId,
  columns: [
    ['severity', problemDetails.severity],
    ['priority', problemDetails.priority],
    ['area', problemDetails.area],
    ['assigned', problemDetails.assigned],
    ['due', problemDetails.due],
    ['claimedInId', problemDetails.claimedInId],
    ['stage', problemDetails.stage],
  ],
});

export const problemLifeRows = account({
  name: 'problem_lives',
  table: problemLives,
  id: problemLives.projectId,
  project: problemLives.projectId,
  columns: [
    ['stages', problemLives.stages],
    ['severities', problemLives.severities],
    ['areas', problemLives.areas],
  ],
});

export const resultUploadRows = account({
  name: 'result_uploads',
  table: resultUploads,
  id: resultUploads.id,
  project: resultUploads.projectId,
  columns: [
    ['buildId', resultUploads.buildId],
    ['roundId', resultUploads.roundId],
    ['configuration', resultUploads.configuration],
    ['format', resultUploads.format],
    ['tool', resultUploads.tool],
    ['version', resultUploads.version],
    ['sentBy', resultUploads.sentBy],
    ['at', resultUploads.at],
    ['name', resultUploads.name],
    ['bytes', resultUploads.bytes],
    ['sha256', resultUploads.sha256],
    ['results', resultUploads.results],
  ],
});

export const resultItemRows = account({
  name: 'result_items',
  table: resultItems,
  id: resultItems.id,
  project: resultItems.projectId,
  columns: [
    ['uploadId', resultItems.uploadId],
    ['position', resultItems.position],
    ['suite', resultItems.suite],
    ['name', resultItems.name],
    ['outcome', resultItems.outcome],
    ['seconds', resultItems.seconds],
    ['message', resultItems.message],
    ['runId', resultItems.runId],
    ['dismissed', resultItems.dismissed],
  ],
});

export const resultMappingRows = account({
  name: 'result_mappings',
  table: resultMappings,
  id: resultMappings.id,
  project: resultMappings.projectId,
  columns: [
    ['pattern', resultMappings.pattern],
    ['caseId', resultMappings.caseId],
    ['row', resultMappings.row],
    ['removedAt', resultMappings.removedAt],
  ],
});

export const trackerRows = account({
  name: 'trackers',
  table: trackers,
  id: trackers.projectId,
  project: trackers.projectId,
  columns: [
    ['name', trackers.name],
    ['url', trackers.url],
    ['states', trackers.states],
    ['paused', trackers.paused],
  ],
});
export const trackerLinkRows = account({
  name: 'tracker_links',
  table: trackerLinks,
  id: trackerLinks.id,
  project: trackerLinks.projectId,
  columns: [
    ['theirId', trackerLinks.theirId],
    ['linkedBy', trackerLinks.linkedBy],
    ['linkedAt', trackerLinks.linkedAt],
    ['endedAt', trackerLinks.endedAt],
  ],
});
