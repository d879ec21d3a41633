RENAME TABLE `builds` TO `old_builds`;
--> statement-breakpoint
RENAME TABLE `traces` TO `old_traces`;
--> statement-breakpoint
RENAME TABLE `revisions` TO `old_revisions`;
--> statement-breakpoint
RENAME TABLE `signatures` TO `old_signatures`;
--> statement-breakpoint
RENAME TABLE `decisions` TO `old_decisions`;
--> statement-breakpoint
RENAME TABLE `specifications` TO `old_specifications`;
--> statement-breakpoint
RENAME TABLE `requirements` TO `old_requirements`;
--> statement-breakpoint
RENAME TABLE `cases` TO `old_cases`;
--> statement-breakpoint
RENAME TABLE `rounds` TO `old_rounds`;
--> statement-breakpoint
RENAME TABLE `runs` TO `old_runs`;
--> statement-breakpoint
RENAME TABLE `evidence` TO `old_evidence`;
--> statement-breakpoint
RENAME TABLE `problems` TO `old_problems`;
--> statement-breakpoint
RENAME TABLE `sources` TO `old_sources`;
--> statement-breakpoint
RENAME TABLE `measurements` TO `old_measurements`;
--> statement-breakpoint
RENAME TABLE `code_traces` TO `old_code_traces`;
--> statement-breakpoint
ALTER TABLE `ledger` MODIFY `record_key` varchar(740) NOT NULL, ADD COLUMN `format` int NOT NULL DEFAULT 1 AFTER `seq`, ADD COLUMN `writes` mediumtext AFTER `after_value`, ADD COLUMN `operation` varchar(60) NOT NULL DEFAULT '' AFTER `writes`, ADD COLUMN `touches` mediumtext AFTER `operation`, ADD INDEX `ledger_key` (`project_id`,`record_key`,`seq`), ADD INDEX `ledger_moment` (`project_id`,`at`);
--> statement-breakpoint
CREATE TABLE `attachments` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_id` bigint NOT NULL,
	`name` varchar(300) NOT NULL,
	`mime` varchar(120) NOT NULL,
	`bytes` bigint NOT NULL,
	`sha256` char(64) NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	`removed_at` char(24),
	CONSTRAINT `attachments_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `builds` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`description` mediumtext NOT NULL,
	`closed_seq` bigint,
	`closed_at` char(24),
	CONSTRAINT `builds_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `comments` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_id` bigint NOT NULL,
	`parent_id` bigint,
	`field` varchar(60) NOT NULL,
	`passage` mediumtext NOT NULL,
	`body_html` mediumtext NOT NULL,
	`body` mediumtext NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	`resolved_by` varchar(60),
	`resolved_at` char(24),
	CONSTRAINT `comments_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `decisions` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_id` bigint NOT NULL,
	`revision` int NOT NULL,
	`choice` varchar(30) NOT NULL,
	`reason` mediumtext NOT NULL,
	`login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	CONSTRAINT `decisions_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `external_ids` (
	`project_id` bigint NOT NULL,
	`system` varchar(60) NOT NULL,
	`external_id` varchar(300) NOT NULL,
	`record_id` bigint NOT NULL,
	CONSTRAINT `external_ids_project_id_system_external_id_pk` PRIMARY KEY(`project_id`,`system`,`external_id`)
);
--> statement-breakpoint
CREATE TABLE `fields` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`kind` varchar(20) NOT NULL,
	`name` varchar(60) NOT NULL,
	`description` mediumtext NOT NULL,
	`definition` mediumtext NOT NULL,
	`position` int NOT NULL,
	`retired_at` char(24),
	CONSTRAINT `fields_id` PRIMARY KEY(`id`),
	CONSTRAINT `fields_name` UNIQUE(`project_id`,`kind`,`name`)
);
--> statement-breakpoint
CREATE TABLE `followers` (
	`record_id` bigint NOT NULL,
	`person_id` bigint NOT NULL,
	CONSTRAINT `followers_record_id_person_id_pk` PRIMARY KEY(`record_id`,`person_id`)
);
--> statement-breakpoint
CREATE TABLE `key_counters` (
	`project_id` bigint NOT NULL,
	`prefix` varchar(60) NOT NULL,
	`last_number` int NOT NULL,
	CONSTRAINT `key_counters_project_id_prefix_pk` PRIMARY KEY(`project_id`,`prefix`)
);
--> statement-breakpoint
CREATE TABLE `operations` (
	`project_id` bigint NOT NULL,
	`login` varchar(60) NOT NULL,
	`operation` varchar(60) NOT NULL,
	`route` varchar(200) NOT NULL,
	`at` char(24) NOT NULL,
	`answer` mediumtext NOT NULL,
	CONSTRAINT `operations_login_operation_pk` PRIMARY KEY(`login`,`operation`)
);
--> statement-breakpoint
CREATE TABLE `presence` (
	`record_id` bigint NOT NULL,
	`person_id` bigint NOT NULL,
	`field` varchar(60) NOT NULL,
	`until_at` char(24) NOT NULL,
	CONSTRAINT `presence_record_id_person_id_pk` PRIMARY KEY(`record_id`,`person_id`)
);
--> statement-breakpoint
CREATE TABLE `records` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`kind` varchar(20) NOT NULL,
	`record_key` varchar(60) NOT NULL,
	`key_prefix` varchar(60) NOT NULL,
	`key_number` int NOT NULL,
	`title` varchar(300) NOT NULL,
	`words` mediumtext character set utf8mb4 collate utf8mb4_general_ci NOT NULL,
	`state` varchar(20) NOT NULL,
	`revision` int NOT NULL,
	`own` mediumtext NOT NULL,
	`created_by` varchar(60) NOT NULL,
	`created_at` char(24) NOT NULL,
	`updated_by` varchar(60) NOT NULL,
	`updated_at` char(24) NOT NULL,
	`authored_by` varchar(60) NOT NULL DEFAULT '',
	`retired_at` char(24),
	CONSTRAINT `records_id` PRIMARY KEY(`id`),
	CONSTRAINT `records_key` UNIQUE(`project_id`,`record_key`)
);
--> statement-breakpoint
CREATE TABLE `revisions` (
	`record_id` bigint NOT NULL,
	`seq` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`revision` int NOT NULL,
	`state` varchar(20) NOT NULL,
	`format` int NOT NULL,
	`hash` char(64),
	`snapshot` mediumtext NOT NULL,
	`reason` mediumtext NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	CONSTRAINT `revisions_record_id_seq_pk` PRIMARY KEY(`record_id`,`seq`)
);
--> statement-breakpoint
CREATE TABLE `signatures` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_id` bigint NOT NULL,
	`revision` int NOT NULL,
	`meaning` varchar(30) NOT NULL,
	`login` varchar(60) NOT NULL,
	`printed_name` varchar(300) NOT NULL,
	`at` char(24) NOT NULL,
	`format` int NOT NULL,
	`hash` char(64) NOT NULL,
	`reason` mediumtext NOT NULL,
	CONSTRAINT `signatures_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `trace_confirmations` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`trace_id` bigint NOT NULL,
	`from_revision` int NOT NULL,
	`to_revision` int NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	`seq` bigint NOT NULL,
	`reason` mediumtext NOT NULL,
	CONSTRAINT `trace_confirmations_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `trace_kinds` (
	`project_id` bigint NOT NULL,
	`name` varchar(30) NOT NULL,
	`forward` varchar(60) NOT NULL,
	`backward` varchar(60) NOT NULL,
	`from_kinds` mediumtext NOT NULL,
	`to_kinds` mediumtext NOT NULL,
	`circles` boolean NOT NULL,
	CONSTRAINT `trace_kinds_project_id_name_pk` PRIMARY KEY(`project_id`,`name`)
);
--> statement-breakpoint
CREATE TABLE `traces` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`kind` varchar(30) NOT NULL,
	`from_id` bigint NOT NULL,
	`to_id` bigint NOT NULL,
	`from_revision` int NOT NULL,
	`to_revision` int NOT NULL,
	`drawn_by` varchar(60) NOT NULL,
	`drawn_at` char(24) NOT NULL,
	`needs_confirmation` boolean NOT NULL,
	`confirmed_by` varchar(60),
	`confirmed_at` char(24),
	`reason` mediumtext NOT NULL,
	`seq` bigint NOT NULL,
	`removed_seq` bigint,
	`removed_at` char(24),
	`removed_by` varchar(60),
	`removed_reason` mediumtext,
	CONSTRAINT `traces_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `case_calls` (
	`case_id` bigint NOT NULL,
	`called_id` bigint NOT NULL,
	`called_revision` int NOT NULL,
	CONSTRAINT `case_calls_case_id_called_id_called_revision_pk` PRIMARY KEY(`case_id`,`called_id`,`called_revision`)
);
--> statement-breakpoint
CREATE TABLE `cases` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`ever_approved` boolean NOT NULL,
	`objective` mediumtext NOT NULL,
	`preconditions` mediumtext NOT NULL,
	`steps` mediumtext NOT NULL,
	`planned_minutes` double NOT NULL,
	`data_rows` mediumtext,
	CONSTRAINT `cases_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `code_traces` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`path` varchar(400) NOT NULL,
	`unit` varchar(300) NOT NULL,
	`text_hash` char(64) NOT NULL,
	`requirement_key` varchar(60) NOT NULL,
	`requirement_id` bigint,
	`origin` varchar(10) NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	`reason` mediumtext NOT NULL,
	`removed_at` char(24),
	CONSTRAINT `code_traces_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `code_units` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`source_id` bigint NOT NULL,
	`name` varchar(300) NOT NULL,
	`start_line` int NOT NULL,
	`end_line` int NOT NULL,
	`text_hash` char(64) NOT NULL,
	CONSTRAINT `code_units_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `measurements` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`upload_id` bigint NOT NULL,
	`file_id` bigint NOT NULL,
	`run_id` bigint,
	`case_id` bigint,
	`case_revision` int,
	`data_row` varchar(100),
	`configuration` varchar(300),
	`tool` varchar(60) NOT NULL,
	`parts` mediumtext NOT NULL,
	`superseded` mediumtext NOT NULL,
	`data` longblob NOT NULL,
	`loaded_at` char(24) NOT NULL,
	`seq` bigint NOT NULL,
	`withdrawn` boolean NOT NULL,
	CONSTRAINT `measurements_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `sources` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`path` varchar(400) NOT NULL,
	`body` mediumtext NOT NULL,
	`sha256` char(64) NOT NULL,
	`superseded_at` char(24),
	CONSTRAINT `sources_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `upload_files` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`upload_id` bigint NOT NULL,
	`name` varchar(300) NOT NULL,
	`sha256` char(64) NOT NULL,
	`bytes` bigint NOT NULL,
	`format` varchar(60) NOT NULL,
	CONSTRAINT `upload_files_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `uploads` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`findings` mediumtext NOT NULL,
	`withdrawn_at` char(24),
	CONSTRAINT `uploads_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `cords` (
	`build_id` bigint NOT NULL,
	`requirement_id` bigint NOT NULL,
	`record_key` varchar(60) NOT NULL,
	`key_prefix` varchar(60) NOT NULL,
	`key_number` int NOT NULL,
	`title` varchar(300) NOT NULL,
	`level` varchar(40) NOT NULL,
	`states` char(5) NOT NULL,
	`below` char(5),
	`first_break` int NOT NULL,
	`state` char(1) NOT NULL,
	`short_words` mediumtext NOT NULL,
	`reasons` mediumtext NOT NULL,
	`code` mediumtext,
	`words` mediumtext character set utf8mb4 collate utf8mb4_general_ci NOT NULL,
	CONSTRAINT `cords_build_id_requirement_id_pk` PRIMARY KEY(`build_id`,`requirement_id`)
);
--> statement-breakpoint
CREATE TABLE `projected` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`seq` bigint NOT NULL,
	`at` char(24) NOT NULL,
	`record_keys` mediumtext,
	CONSTRAINT `projected_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `projections` (
	`build_id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`seq` bigint NOT NULL,
	`version` int NOT NULL,
	`wanted_at` char(24) NOT NULL,
	`totals` mediumtext,
	CONSTRAINT `projections_build_id` PRIMARY KEY(`build_id`)
);
--> statement-breakpoint
CREATE TABLE `source_credits` (
	`source_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`path` varchar(400) NOT NULL,
	`measured` boolean NOT NULL,
	`coverage` mediumtext NOT NULL,
	CONSTRAINT `source_credits_source_id` PRIMARY KEY(`source_id`)
);
--> statement-breakpoint
CREATE TABLE `integrity_faults` (
	`project_id` bigint NOT NULL,
	`table_name` varchar(40) NOT NULL,
	`row_id` varchar(60) NOT NULL,
	`record_id` bigint,
	`fault` varchar(20) NOT NULL,
	`found_at` char(24) NOT NULL,
	CONSTRAINT `integrity_faults_project_id_table_name_row_id_pk` PRIMARY KEY(`project_id`,`table_name`,`row_id`)
);
--> statement-breakpoint
CREATE TABLE `evidence` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`run_id` bigint NOT NULL,
	`step` int NOT NULL,
	`name` varchar(300) NOT NULL,
	`mime` varchar(120) NOT NULL,
	`bytes` bigint NOT NULL,
	`sha256` char(64) NOT NULL,
	`removed_at` char(24),
	CONSTRAINT `evidence_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `problems` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`description` mediumtext NOT NULL,
	`blocking` boolean NOT NULL,
	`run_id` bigint,
	`step` int,
	`case_id` bigint,
	`build_id` bigint NOT NULL,
	`fixed_in_id` bigint,
	`closed_reason` mediumtext NOT NULL,
	CONSTRAINT `problems_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `rounds` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`configuration` varchar(300) NOT NULL,
	`unit` varchar(300) NOT NULL,
	`tools` varchar(300) NOT NULL,
	CONSTRAINT `rounds_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `runs` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`round_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`case_id` bigint NOT NULL,
	`case_revision` int NOT NULL,
	`frozen` mediumtext NOT NULL,
	`data_row` varchar(100),
	`configuration` varchar(300) NOT NULL,
	`unit` varchar(300) NOT NULL,
	`tools` varchar(300) NOT NULL,
	`tester` varchar(60) NOT NULL,
	`steps` mediumtext NOT NULL,
	`verdict` varchar(20),
	`failed_step` int,
	`seconds` int NOT NULL,
	`started_at` char(24),
	`finished_at` char(24),
	`finished_seq` bigint,
	`format` int NOT NULL,
	`hash` char(64),
	`corrections` mediumtext NOT NULL,
	`deviation_accepted` boolean NOT NULL,
	`carried_over_to` int,
	`set_aside` boolean NOT NULL,
	`returned_at` char(24),
	`withdrawn_at` char(24),
	`superseded_by_id` bigint,
	`supersedes_id` bigint,
	CONSTRAINT `runs_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `requirements` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`specification_id` bigint NOT NULL,
	`under_id` bigint,
	`position` double NOT NULL,
	`kind` varchar(20) NOT NULL,
	`body_html` mediumtext NOT NULL,
	`body` mediumtext NOT NULL,
	`rationale` mediumtext NOT NULL,
	`level` varchar(40) NOT NULL,
	`method` varchar(20) NOT NULL,
	`top_level` boolean NOT NULL,
	`derived` boolean NOT NULL,
	`not_in_code` boolean NOT NULL,
	`not_in_code_rationale` mediumtext NOT NULL,
	CONSTRAINT `requirements_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `specifications` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`prefix` varchar(20) NOT NULL,
	CONSTRAINT `specifications_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE FULLTEXT INDEX `records_words` ON `records` (`words`);
--> statement-breakpoint
CREATE FULLTEXT INDEX `cords_words` ON `cords` (`words`);
--> statement-breakpoint
CREATE INDEX `attachments_record` ON `attachments` (`record_id`,`removed_at`);
--> statement-breakpoint
CREATE INDEX `builds_project` ON `builds` (`project_id`);
--> statement-breakpoint
CREATE INDEX `comments_record` ON `comments` (`record_id`,`id`);
--> statement-breakpoint
CREATE INDEX `decisions_record` ON `decisions` (`record_id`,`choice`);
--> statement-breakpoint
CREATE INDEX `external_ids_record` ON `external_ids` (`record_id`);
--> statement-breakpoint
CREATE INDEX `operations_at` ON `operations` (`at`);
--> statement-breakpoint
CREATE INDEX `presence_until` ON `presence` (`until_at`);
--> statement-breakpoint
CREATE INDEX `records_kind` ON `records` (`project_id`,`kind`,`key_prefix`,`key_number`);
--> statement-breakpoint
CREATE INDEX `records_state` ON `records` (`project_id`,`kind`,`state`,`key_prefix`,`key_number`);
--> statement-breakpoint
CREATE INDEX `records_title` ON `records` (`project_id`,`kind`,`title`);
--> statement-breakpoint
CREATE INDEX `records_updated` ON `records` (`project_id`,`kind`,`updated_at`);
--> statement-breakpoint
CREATE INDEX `revisions_number` ON `revisions` (`record_id`,`revision`);
--> statement-breakpoint
CREATE INDEX `signatures_record` ON `signatures` (`record_id`,`meaning`);
--> statement-breakpoint
CREATE INDEX `trace_confirmations_trace` ON `trace_confirmations` (`trace_id`,`seq`);
--> statement-breakpoint
CREATE INDEX `traces_from` ON `traces` (`from_id`,`kind`,`removed_at`);
--> statement-breakpoint
CREATE INDEX `traces_to` ON `traces` (`to_id`,`kind`,`removed_at`);
--> statement-breakpoint
CREATE INDEX `traces_project` ON `traces` (`project_id`,`kind`,`removed_at`);
--> statement-breakpoint
CREATE INDEX `case_calls_called` ON `case_calls` (`called_id`);
--> statement-breakpoint
CREATE INDEX `cases_project` ON `cases` (`project_id`);
--> statement-breakpoint
CREATE INDEX `code_traces_build` ON `code_traces` (`build_id`,`removed_at`,`path`);
--> statement-breakpoint
CREATE INDEX `code_traces_requirement` ON `code_traces` (`requirement_id`,`build_id`,`removed_at`);
--> statement-breakpoint
CREATE INDEX `code_traces_key` ON `code_traces` (`project_id`,`requirement_key`);
--> statement-breakpoint
CREATE INDEX `code_units_source` ON `code_units` (`source_id`,`start_line`);
--> statement-breakpoint
CREATE INDEX `measurements_build` ON `measurements` (`build_id`,`withdrawn`);
--> statement-breakpoint
CREATE INDEX `measurements_case` ON `measurements` (`case_id`,`build_id`);
--> statement-breakpoint
CREATE INDEX `measurements_upload` ON `measurements` (`upload_id`);
--> statement-breakpoint
CREATE INDEX `sources_build` ON `sources` (`build_id`,`superseded_at`,`path`);
--> statement-breakpoint
CREATE INDEX `upload_files_upload` ON `upload_files` (`upload_id`);
--> statement-breakpoint
CREATE INDEX `uploads_build` ON `uploads` (`build_id`);
--> statement-breakpoint
CREATE INDEX `cords_key` ON `cords` (`build_id`,`key_prefix`,`key_number`,`requirement_id`);
--> statement-breakpoint
CREATE INDEX `cords_title` ON `cords` (`build_id`,`title`,`key_prefix`,`key_number`,`requirement_id`);
--> statement-breakpoint
CREATE INDEX `cords_level` ON `cords` (`build_id`,`level`,`key_prefix`,`key_number`,`requirement_id`);
--> statement-breakpoint
CREATE INDEX `cords_break` ON `cords` (`build_id`,`first_break`,`key_prefix`,`key_number`,`requirement_id`);
--> statement-breakpoint
CREATE INDEX `cords_state` ON `cords` (`build_id`,`state`,`key_prefix`,`key_number`,`requirement_id`);
--> statement-breakpoint
CREATE INDEX `projected_project` ON `projected` (`project_id`,`id`);
--> statement-breakpoint
CREATE INDEX `projections_project` ON `projections` (`project_id`,`wanted_at`);
--> statement-breakpoint
CREATE INDEX `source_credits_build` ON `source_credits` (`build_id`,`path`);
--> statement-breakpoint
CREATE INDEX `evidence_run` ON `evidence` (`run_id`);
--> statement-breakpoint
CREATE INDEX `problems_project` ON `problems` (`project_id`,`blocking`);
--> statement-breakpoint
CREATE INDEX `problems_run` ON `problems` (`run_id`);
--> statement-breakpoint
CREATE INDEX `rounds_build` ON `rounds` (`build_id`);
--> statement-breakpoint
CREATE INDEX `runs_build` ON `runs` (`build_id`,`case_id`);
--> statement-breakpoint
CREATE INDEX `runs_round` ON `runs` (`round_id`);
--> statement-breakpoint
CREATE INDEX `runs_case` ON `runs` (`case_id`);
--> statement-breakpoint
CREATE INDEX `runs_tester` ON `runs` (`project_id`,`tester`,`finished_at`);
--> statement-breakpoint
CREATE INDEX `requirements_place` ON `requirements` (`specification_id`,`under_id`,`position`);
--> statement-breakpoint
CREATE INDEX `requirements_project` ON `requirements` (`project_id`,`kind`);
--> statement-breakpoint
CREATE INDEX `specifications_project` ON `specifications` (`project_id`);
--> statement-breakpoint
INSERT INTO `records` (project_id, kind, record_key, key_prefix, key_number, title, words, state, revision, own, created_by, created_at, updated_by, updated_at) SELECT p.id, 'project', 'PROJECT', 'PROJECT', 0, p.name, p.name, 'open', 1, '{}', l.who, l.at, l.who, l.at FROM `projects` p JOIN `ledger` l ON l.project_id = p.id AND l.seq = 1;
--> statement-breakpoint
INSERT INTO `records` (project_id, kind, record_key, key_prefix, key_number, title, words, state, revision, own, created_by, created_at, updated_by, updated_at) SELECT o.project_id, 'specification', o.record_key, regexp_replace(o.record_key, '-[0-9]+$', ''), least(999999999, cast(concat('0', left(regexp_substr(regexp_substr(o.record_key, '-[0-9]+$'), '[0-9]+'), 12)) as unsigned)), o.title, o.title, 'open', 1, '{}', ifnull((select l.who from ledger l where l.project_id = o.project_id and l.kind = 'specification' and l.record_key = o.record_key order by l.seq limit 1), ''), ifnull((select l.at from ledger l where l.project_id = o.project_id and l.kind = 'specification' and l.record_key = o.record_key order by l.seq limit 1), '1970-01-01T00:00:00.000Z'), ifnull((select l.who from ledger l where l.project_id = o.project_id and l.kind = 'specification' and l.record_key = o.record_key order by l.seq limit 1), ''), ifnull((select l.at from ledger l where l.project_id = o.project_id and l.kind = 'specification' and l.record_key = o.record_key order by l.seq limit 1), '1970-01-01T00:00:00.000Z') FROM `old_specifications` o  ORDER BY o.id;
--> statement-breakpoint
INSERT INTO `records` (project_id, kind, record_key, key_prefix, key_number, title, words, state, revision, own, created_by, created_at, updated_by, updated_at) SELECT o.project_id, 'requirement', o.record_key, regexp_replace(o.record_key, '-[0-9]+$', ''), least(999999999, cast(concat('0', left(regexp_substr(regexp_substr(o.record_key, '-[0-9]+$'), '[0-9]+'), 12)) as unsigned)), o.title, concat_ws(' ', o.body, o.rationale), o.state, o.revision, '{}', o.updated_by, o.updated_at, o.updated_by, o.updated_at FROM `old_requirements` o  ORDER BY o.id;
--> statement-breakpoint
INSERT INTO `records` (project_id, kind, record_key, key_prefix, key_number, title, words, state, revision, own, created_by, created_at, updated_by, updated_at) SELECT o.project_id, 'case', o.record_key, regexp_replace(o.record_key, '-[0-9]+$', ''), least(999999999, cast(concat('0', left(regexp_substr(regexp_substr(o.record_key, '-[0-9]+$'), '[0-9]+'), 12)) as unsigned)), o.title, concat_ws(' ', o.objective, o.preconditions, regexp_replace(o.steps, '"(action|expected)":', ' ')), o.state, o.revision, '{}', o.updated_by, o.updated_at, o.updated_by, o.updated_at FROM `old_cases` o  ORDER BY o.id;
--> statement-breakpoint
INSERT INTO `records` (project_id, kind, record_key, key_prefix, key_number, title, words, state, revision, own, created_by, created_at, updated_by, updated_at) SELECT o.project_id, 'build', o.name, regexp_replace(o.name, '-[0-9]+$', ''), least(999999999, cast(concat('0', left(regexp_substr(regexp_substr(o.name, '-[0-9]+$'), '[0-9]+'), 12)) as unsigned)), o.name, o.description, 'open', 1, '{}', ifnull((select l.who from ledger l where l.project_id = o.project_id and l.kind = 'build' and l.record_key = o.name order by l.seq limit 1), ''), o.created_at, ifnull((select l.who from ledger l where l.project_id = o.project_id and l.kind = 'build' and l.record_key = o.name order by l.seq limit 1), ''), o.created_at FROM `old_builds` o  ORDER BY o.id;
--> statement-breakpoint
INSERT INTO `records` (project_id, kind, record_key, key_prefix, key_number, title, words, state, revision, own, created_by, created_at, updated_by, updated_at) SELECT o.project_id, 'round', o.record_key, regexp_replace(o.record_key, '-[0-9]+$', ''), least(999999999, cast(concat('0', left(regexp_substr(regexp_substr(o.record_key, '-[0-9]+$'), '[0-9]+'), 12)) as unsigned)), o.title, concat_ws(' ', o.title, o.configuration), 'open', 1, '{}', o.created_by, o.created_at, o.created_by, o.created_at FROM `old_rounds` o  ORDER BY o.id;
--> statement-breakpoint
INSERT INTO `records` (project_id, kind, record_key, key_prefix, key_number, title, words, state, revision, own, created_by, created_at, updated_by, updated_at) SELECT o.project_id, 'run', o.record_key, regexp_replace(o.record_key, '-[0-9]+$', ''), least(999999999, cast(concat('0', left(regexp_substr(regexp_substr(o.record_key, '-[0-9]+$'), '[0-9]+'), 12)) as unsigned)), json_value(o.frozen, '$.title'), concat_ws(' ', o.case_key, json_value(o.frozen, '$.title')), if(o.finished_at is not null, 'recorded', if(o.started_at is not null, 'onBench', 'planned')), o.revision, '{}', o.tester, ifnull((select r.created_at from old_rounds r where r.project_id = o.project_id and r.record_key = o.round), '1970-01-01T00:00:00.000Z'), o.tester, ifnull(o.finished_at, ifnull(o.started_at, ifnull((select r.created_at from old_rounds r where r.project_id = o.project_id and r.record_key = o.round), '1970-01-01T00:00:00.000Z'))) FROM `old_runs` o  ORDER BY o.id;
--> statement-breakpoint
INSERT INTO `records` (project_id, kind, record_key, key_prefix, key_number, title, words, state, revision, own, created_by, created_at, updated_by, updated_at) SELECT o.project_id, 'problem', o.record_key, regexp_replace(o.record_key, '-[0-9]+$', ''), least(999999999, cast(concat('0', left(regexp_substr(regexp_substr(o.record_key, '-[0-9]+$'), '[0-9]+'), 12)) as unsigned)), o.title, o.description, o.state, o.revision, '{}', o.raised_by, o.raised_at, ifnull((select l.who from ledger l where l.project_id = o.project_id and l.kind = 'problem' and l.record_key = o.record_key order by l.seq desc limit 1), ''), ifnull((select l.at from ledger l where l.project_id = o.project_id and l.kind = 'problem' and l.record_key = o.record_key order by l.seq desc limit 1), o.raised_at) FROM `old_problems` o  ORDER BY o.id;
--> statement-breakpoint
UPDATE `records` SET words = concat_ws(' ', record_key, title, words), authored_by = updated_by;
--> statement-breakpoint
INSERT INTO `specifications` (id, project_id, prefix) SELECT r.id, o.project_id, o.prefix FROM `old_specifications` o JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'specification';
--> statement-breakpoint
INSERT INTO `requirements` (id, project_id, specification_id, under_id, position, kind, body_html, body, rationale, level, method, top_level, derived, not_in_code, not_in_code_rationale) SELECT r.id, o.project_id, s.id, u.id, o.position, o.kind, if(o.body = '', '', concat('<p>', replace(replace(replace(replace(replace(o.body, '&', '&amp;'), '<', '&lt;'), '>', '&gt;'), '\n\n', '</p><p>'), '\n', '<br />'), '</p>')), o.body, o.rationale, o.level, o.method, o.top_level, o.derived, o.not_in_code, o.not_in_code_rationale FROM `old_requirements` o JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'requirement' JOIN `records` s ON s.project_id = o.project_id AND s.record_key = o.specification AND s.kind = 'specification' LEFT JOIN `records` u ON u.project_id = o.project_id AND u.record_key = o.under_key AND u.kind = 'requirement';
--> statement-breakpoint
INSERT INTO `cases` (id, project_id, ever_approved, objective, preconditions, steps, planned_minutes, data_rows) SELECT r.id, o.project_id, o.ever_approved <> 0, o.objective, o.preconditions, o.steps, o.planned_minutes, o.data_rows FROM `old_cases` o JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'case';
--> statement-breakpoint
INSERT IGNORE INTO `case_calls` (case_id, called_id, called_revision) SELECT r.id, c.id, j.revision FROM `old_cases` o JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'case' JOIN JSON_TABLE(o.steps, '$[*].call' COLUMNS (called varchar(60) PATH '$.key', revision int PATH '$.revision')) j JOIN `records` c ON c.project_id = o.project_id AND c.record_key = j.called AND c.kind = 'case';
--> statement-breakpoint
INSERT INTO `builds` (id, project_id, description) SELECT r.id, o.project_id, o.description FROM `old_builds` o JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.name AND r.kind = 'build';
--> statement-breakpoint
INSERT INTO `rounds` (id, project_id, build_id, configuration, unit, tools) SELECT r.id, o.project_id, b.id, o.configuration, o.unit, o.tools FROM `old_rounds` o JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'round' JOIN `records` b ON b.project_id = o.project_id AND b.record_key = o.build AND b.kind = 'build';
--> statement-breakpoint
INSERT INTO `runs` (id, project_id, round_id, build_id, case_id, case_revision, frozen, data_row, configuration, unit, tools, tester, steps, verdict, failed_step, seconds, started_at, finished_at, finished_seq, format, hash, corrections, deviation_accepted, carried_over_to, set_aside, superseded_by_id, supersedes_id) SELECT r.id, o.project_id, d.id, b.id, c.id, o.case_revision, o.frozen, o.data_row, o.configuration, o.unit, o.tools, o.tester, o.steps, o.verdict, o.failed_step, o.seconds, o.started_at, o.finished_at, if(o.finished_at is null, null, (select max(l.seq) from ledger l where l.project_id = o.project_id and l.record_key = o.record_key and l.action = 'run recorded')), 1, o.hash, '[]', o.deviation_accepted, o.carried_over_to, false, n.id, e.id FROM `old_runs` o JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'run' JOIN `records` d ON d.project_id = o.project_id AND d.record_key = o.round AND d.kind = 'round' JOIN `records` b ON b.project_id = o.project_id AND b.record_key = o.build AND b.kind = 'build' JOIN `records` c ON c.project_id = o.project_id AND c.record_key = o.case_key AND c.kind = 'case' LEFT JOIN `records` n ON n.project_id = o.project_id AND n.record_key = o.superseded_by AND n.kind = 'run' LEFT JOIN `records` e ON e.project_id = o.project_id AND e.record_key = o.supersedes AND e.kind = 'run';
--> statement-breakpoint
INSERT INTO `evidence` (id, project_id, run_id, step, name, mime, bytes, sha256, removed_at) SELECT v.id, v.project_id, r.id, v.step, v.name, v.mime, v.bytes, v.sha256, v.removed_at FROM `old_evidence` v JOIN `old_runs` o ON o.id = v.run_id JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'run';
--> statement-breakpoint
INSERT INTO `problems` (id, project_id, description, blocking, run_id, step, case_id, build_id, closed_reason) SELECT r.id, o.project_id, o.description, o.blocking, n.id, o.step, c.id, b.id, o.closed_reason FROM `old_problems` o JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'problem' JOIN `records` b ON b.project_id = o.project_id AND b.record_key = o.build AND b.kind = 'build' LEFT JOIN `records` n ON n.project_id = o.project_id AND n.record_key = o.run AND n.kind = 'run' LEFT JOIN `records` c ON c.project_id = o.project_id AND c.record_key = o.case_key AND c.kind = 'case';
--> statement-breakpoint
INSERT INTO `revisions` (record_id, seq, project_id, revision, state, format, hash, snapshot, reason, by_login, at) SELECT r.id, ifnull((select min(l.seq) from ledger l where l.project_id = v.project_id and l.at = v.at), 0), v.project_id, v.revision, 'draft', 1, null, v.snapshot, '', v.by_login, v.at FROM `old_revisions` v JOIN `old_requirements` o ON v.kind = 'requirement' AND o.id = v.record_id JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'requirement';
--> statement-breakpoint
INSERT IGNORE INTO `revisions` (record_id, seq, project_id, revision, state, format, hash, snapshot, reason, by_login, at) SELECT r.id, l.seq, l.project_id, v.revision, json_value(l.after_value, '$.state'), 1, null, v.snapshot, '', l.who, l.at FROM `ledger` l JOIN `records` r ON r.project_id = l.project_id AND r.record_key = l.record_key AND r.kind = 'requirement' JOIN `revisions` v ON v.record_id = r.id AND v.state = 'draft' AND v.revision = json_value(l.after_value, '$.revision') WHERE l.kind = 'requirement' AND l.action IN ('requirement approved', 'review asked for', 'sent back to draft');
--> statement-breakpoint
INSERT INTO `decisions` (project_id, record_id, revision, choice, reason, login, at) SELECT l.project_id, r.id, json_value(l.after_value, '$.revision'), 'approved', concat('Approved before approvals were signatures: ledger entry ', l.seq, '.'), l.who, l.at FROM `ledger` l JOIN `records` r ON r.project_id = l.project_id AND r.record_key = l.record_key AND r.kind = 'requirement' WHERE l.kind = 'requirement' AND l.action = 'requirement approved';
--> statement-breakpoint
UPDATE `records` r JOIN (SELECT record_id, min(seq) AS first FROM `revisions` GROUP BY record_id) f ON f.record_id = r.id JOIN `revisions` v ON v.record_id = r.id AND v.seq = f.first SET r.created_by = v.by_login, r.created_at = v.at WHERE r.kind = 'requirement';
--> statement-breakpoint
INSERT INTO `revisions` (record_id, seq, project_id, revision, state, format, hash, snapshot, reason, by_login, at) SELECT r.id, ifnull((select min(l.seq) from ledger l where l.project_id = v.project_id and l.at = v.at), 0), v.project_id, v.revision, 'draft', 1, null, v.snapshot, '', v.by_login, v.at FROM `old_revisions` v JOIN `old_cases` o ON v.kind = 'case' AND o.id = v.record_id JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'case';
--> statement-breakpoint
INSERT IGNORE INTO `revisions` (record_id, seq, project_id, revision, state, format, hash, snapshot, reason, by_login, at) SELECT r.id, l.seq, l.project_id, v.revision, json_value(l.after_value, '$.state'), 1, null, v.snapshot, '', l.who, l.at FROM `ledger` l JOIN `records` r ON r.project_id = l.project_id AND r.record_key = l.record_key AND r.kind = 'case' JOIN `revisions` v ON v.record_id = r.id AND v.state = 'draft' AND v.revision = json_value(l.after_value, '$.revision') WHERE l.kind = 'case' AND l.action IN ('case approved', 'review asked for', 'sent back to draft');
--> statement-breakpoint
INSERT INTO `decisions` (project_id, record_id, revision, choice, reason, login, at) SELECT l.project_id, r.id, json_value(l.after_value, '$.revision'), 'approved', concat('Approved before approvals were signatures: ledger entry ', l.seq, '.'), l.who, l.at FROM `ledger` l JOIN `records` r ON r.project_id = l.project_id AND r.record_key = l.record_key AND r.kind = 'case' WHERE l.kind = 'case' AND l.action = 'case approved';
--> statement-breakpoint
UPDATE `records` r JOIN (SELECT record_id, min(seq) AS first FROM `revisions` GROUP BY record_id) f ON f.record_id = r.id JOIN `revisions` v ON v.record_id = r.id AND v.seq = f.first SET r.created_by = v.by_login, r.created_at = v.at WHERE r.kind = 'case';
--> statement-breakpoint
INSERT IGNORE INTO `revisions` (record_id, seq, project_id, revision, state, format, hash, snapshot, reason, by_login, at) SELECT r.id, ifnull((select min(l.seq) from ledger l where l.project_id = v.project_id and l.at = v.at), 0), v.project_id, v.revision, 'signed', 1, json_value(v.snapshot, '$.hash'), v.snapshot, '', v.by_login, v.at FROM `old_revisions` v JOIN `old_runs` o ON v.kind = 'run' AND o.id = v.record_id JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'run';
--> statement-breakpoint
INSERT INTO `traces` (id, project_id, kind, from_id, to_id, from_revision, to_revision, drawn_by, drawn_at, needs_confirmation, confirmed_by, confirmed_at, reason, seq, removed_seq, removed_at) SELECT o.id, o.project_id, o.kind, f.id, t.id, o.from_revision, o.to_revision, o.confirmed_by, o.confirmed_at, false, o.confirmed_by, o.confirmed_at, o.reason, ifnull((select min(l.seq) from ledger l where l.project_id = o.project_id and l.at = o.confirmed_at), 0), if(o.removed_at is null, null, ifnull((select min(l.seq) from ledger l where l.project_id = o.project_id and l.at = o.removed_at), 0)), o.removed_at FROM `old_traces` o JOIN `records` f ON f.project_id = o.project_id AND f.record_key = o.from_key AND f.kind = 'requirement' JOIN `records` t ON t.project_id = o.project_id AND t.record_key = o.to_key AND t.kind = 'requirement' WHERE o.kind = 'parent';
--> statement-breakpoint
INSERT INTO `traces` (id, project_id, kind, from_id, to_id, from_revision, to_revision, drawn_by, drawn_at, needs_confirmation, confirmed_by, confirmed_at, reason, seq, removed_seq, removed_at) SELECT o.id, o.project_id, o.kind, f.id, t.id, o.from_revision, o.to_revision, o.confirmed_by, o.confirmed_at, false, o.confirmed_by, o.confirmed_at, o.reason, ifnull((select min(l.seq) from ledger l where l.project_id = o.project_id and l.at = o.confirmed_at), 0), if(o.removed_at is null, null, ifnull((select min(l.seq) from ledger l where l.project_id = o.project_id and l.at = o.removed_at), 0)), o.removed_at FROM `old_traces` o JOIN `records` f ON f.project_id = o.project_id AND f.record_key = o.from_key AND f.kind = 'case' JOIN `records` t ON t.project_id = o.project_id AND t.record_key = o.to_key AND t.kind = 'requirement' WHERE o.kind = 'verifies';
--> statement-breakpoint
INSERT INTO `traces` (project_id, kind, from_id, to_id, from_revision, to_revision, drawn_by, drawn_at, needs_confirmation, confirmed_by, confirmed_at, reason, seq) SELECT o.project_id, 'foundAgainst', r.id, t.id, 1, t.revision, o.raised_by, o.raised_at, false, o.raised_by, o.raised_at, '', ifnull((select min(l.seq) from ledger l where l.project_id = o.project_id and l.at = o.raised_at), 0) FROM `old_problems` o JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'problem' JOIN JSON_TABLE(o.requirements, '$[*]' COLUMNS (k varchar(60) PATH '$')) j JOIN `records` t ON t.project_id = o.project_id AND t.record_key = j.k AND t.kind = 'requirement';
--> statement-breakpoint
INSERT INTO `trace_confirmations` (project_id, trace_id, from_revision, to_revision, by_login, at, seq, reason) SELECT project_id, id, from_revision, to_revision, confirmed_by, confirmed_at, seq, reason FROM `traces` WHERE confirmed_by IS NOT NULL;
--> statement-breakpoint
INSERT INTO `signatures` (id, project_id, record_id, revision, meaning, login, printed_name, at, format, hash, reason) SELECT s.id, s.project_id, r.id, 1, s.meaning, s.login, s.printed_name, s.at, 1, s.hash, s.reason FROM `old_signatures` s JOIN `old_runs` o ON o.id = s.run_id JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'run';
--> statement-breakpoint
INSERT INTO `decisions` (project_id, record_id, revision, choice, reason, login, at) SELECT d.project_id, r.id, if(d.choice = 'carried over', ifnull(o.carried_over_to, o.case_revision), o.case_revision), d.choice, d.reason, d.login, d.at FROM `old_decisions` d JOIN `old_runs` o ON o.id = d.run_id JOIN `records` r ON r.project_id = o.project_id AND r.record_key = o.record_key AND r.kind = 'run' ORDER BY d.id;
--> statement-breakpoint
INSERT INTO `key_counters` (project_id, prefix, last_number) SELECT project_id, key_prefix, max(key_number) FROM `records` WHERE key_number > 0 GROUP BY project_id, key_prefix;
--> statement-breakpoint
INSERT INTO `trace_kinds` (project_id, name, forward, backward, from_kinds, to_kinds, circles) SELECT id, 'parent', 'is derived from', 'has derived', '["requirement"]', '["requirement"]', false FROM `projects`;
--> statement-breakpoint
INSERT INTO `trace_kinds` (project_id, name, forward, backward, from_kinds, to_kinds, circles) SELECT id, 'verifies', 'verifies', 'is verified by', '["case"]', '["requirement"]', false FROM `projects`;
--> statement-breakpoint
INSERT INTO `trace_kinds` (project_id, name, forward, backward, from_kinds, to_kinds, circles) SELECT id, 'foundAgainst', 'was found against', 'has problem', '["problem"]', '["requirement"]', true FROM `projects`;
--> statement-breakpoint
INSERT INTO `trace_kinds` (project_id, name, forward, backward, from_kinds, to_kinds, circles) SELECT id, 'relates', 'relates to', 'relates to', '["requirement","case","problem","round","build","specification"]', '["requirement","case","problem","round","build","specification"]', true FROM `projects`;
--> statement-breakpoint
ALTER TABLE `attachments` ADD CONSTRAINT `attachments_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `builds` ADD CONSTRAINT `builds_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `comments` ADD CONSTRAINT `comments_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `decisions` ADD CONSTRAINT `decisions_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `external_ids` ADD CONSTRAINT `external_ids_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `fields` ADD CONSTRAINT `fields_project_id_projects_id_fk` FOREIGN KEY (`project_id`) REFERENCES `projects`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `followers` ADD CONSTRAINT `followers_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `followers` ADD CONSTRAINT `followers_person_id_people_id_fk` FOREIGN KEY (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `records` ADD CONSTRAINT `records_project_id_projects_id_fk` FOREIGN KEY (`project_id`) REFERENCES `projects`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `revisions` ADD CONSTRAINT `revisions_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `signatures` ADD CONSTRAINT `signatures_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `trace_confirmations` ADD CONSTRAINT `trace_confirmations_trace_id_traces_id_fk` FOREIGN KEY (`trace_id`) REFERENCES `traces`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `trace_kinds` ADD CONSTRAINT `trace_kinds_project_id_projects_id_fk` FOREIGN KEY (`project_id`) REFERENCES `projects`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `traces` ADD CONSTRAINT `traces_from_id_records_id_fk` FOREIGN KEY (`from_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `traces` ADD CONSTRAINT `traces_to_id_records_id_fk` FOREIGN KEY (`to_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `case_calls` ADD CONSTRAINT `case_calls_case_id_cases_id_fk` FOREIGN KEY (`case_id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `case_calls` ADD CONSTRAINT `case_calls_called_id_cases_id_fk` FOREIGN KEY (`called_id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `cases` ADD CONSTRAINT `cases_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `code_traces` ADD CONSTRAINT `code_traces_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `code_traces` ADD CONSTRAINT `code_traces_requirement_id_requirements_id_fk` FOREIGN KEY (`requirement_id`) REFERENCES `requirements`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `code_units` ADD CONSTRAINT `code_units_source_id_sources_id_fk` FOREIGN KEY (`source_id`) REFERENCES `sources`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `measurements` ADD CONSTRAINT `measurements_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `measurements` ADD CONSTRAINT `measurements_upload_id_uploads_id_fk` FOREIGN KEY (`upload_id`) REFERENCES `uploads`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `measurements` ADD CONSTRAINT `measurements_file_id_upload_files_id_fk` FOREIGN KEY (`file_id`) REFERENCES `upload_files`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `measurements` ADD CONSTRAINT `measurements_run_id_runs_id_fk` FOREIGN KEY (`run_id`) REFERENCES `runs`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `measurements` ADD CONSTRAINT `measurements_case_id_cases_id_fk` FOREIGN KEY (`case_id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `sources` ADD CONSTRAINT `sources_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `upload_files` ADD CONSTRAINT `upload_files_upload_id_uploads_id_fk` FOREIGN KEY (`upload_id`) REFERENCES `uploads`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `uploads` ADD CONSTRAINT `uploads_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `uploads` ADD CONSTRAINT `uploads_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `cords` ADD CONSTRAINT `cords_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `cords` ADD CONSTRAINT `cords_requirement_id_records_id_fk` FOREIGN KEY (`requirement_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `projections` ADD CONSTRAINT `projections_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `source_credits` ADD CONSTRAINT `source_credits_source_id_sources_id_fk` FOREIGN KEY (`source_id`) REFERENCES `sources`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `evidence` ADD CONSTRAINT `evidence_run_id_runs_id_fk` FOREIGN KEY (`run_id`) REFERENCES `runs`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `problems` ADD CONSTRAINT `problems_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `problems` ADD CONSTRAINT `problems_run_id_runs_id_fk` FOREIGN KEY (`run_id`) REFERENCES `runs`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `problems` ADD CONSTRAINT `problems_case_id_cases_id_fk` FOREIGN KEY (`case_id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `problems` ADD CONSTRAINT `problems_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `problems` ADD CONSTRAINT `problems_fixed_in_id_builds_id_fk` FOREIGN KEY (`fixed_in_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `rounds` ADD CONSTRAINT `rounds_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `rounds` ADD CONSTRAINT `rounds_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `runs` ADD CONSTRAINT `runs_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `runs` ADD CONSTRAINT `runs_round_id_rounds_id_fk` FOREIGN KEY (`round_id`) REFERENCES `rounds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `runs` ADD CONSTRAINT `runs_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `runs` ADD CONSTRAINT `runs_case_id_cases_id_fk` FOREIGN KEY (`case_id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `requirements` ADD CONSTRAINT `requirements_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `requirements` ADD CONSTRAINT `requirements_specification_id_specifications_id_fk` FOREIGN KEY (`specification_id`) REFERENCES `specifications`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
ALTER TABLE `specifications` ADD CONSTRAINT `specifications_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;
--> statement-breakpoint
DROP TABLE `old_builds`;
--> statement-breakpoint
DROP TABLE `old_traces`;
--> statement-breakpoint
DROP TABLE `old_revisions`;
--> statement-breakpoint
DROP TABLE `old_signatures`;
--> statement-breakpoint
DROP TABLE `old_decisions`;
--> statement-breakpoint
DROP TABLE `old_specifications`;
--> statement-breakpoint
DROP TABLE `old_requirements`;
--> statement-breakpoint
DROP TABLE `old_cases`;
--> statement-breakpoint
DROP TABLE `old_rounds`;
--> statement-breakpoint
DROP TABLE `old_runs`;
--> statement-breakpoint
DROP TABLE `old_evidence`;
--> statement-breakpoint
DROP TABLE `old_problems`;
