CREATE TABLE `blobs` (
	`sha256` char(64) NOT NULL,
	`part` int NOT NULL,
	`bytes` mediumblob NOT NULL,
	CONSTRAINT `blobs_sha256_part_pk` PRIMARY KEY(`sha256`,`part`)
);
--> statement-breakpoint
CREATE TABLE `builds` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`name` varchar(60) NOT NULL,
	`description` mediumtext NOT NULL,
	`created_at` char(24) NOT NULL,
	CONSTRAINT `builds_id` PRIMARY KEY(`id`),
	CONSTRAINT `builds_name` UNIQUE(`project_id`,`name`)
);
--> statement-breakpoint
CREATE TABLE `jobs` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`kind` varchar(30) NOT NULL,
	`build` varchar(60) NOT NULL,
	`state` varchar(20) NOT NULL,
	`progress` double NOT NULL,
	`message` varchar(500) NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`created_at` char(24) NOT NULL,
	`finished_at` char(24),
	`holder` varchar(60),
	`heartbeat` char(24),
	`file_name` varchar(200),
	`file_bytes` bigint,
	`file_hash` char(64),
	CONSTRAINT `jobs_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `ledger` (
	`project_id` bigint NOT NULL,
	`seq` bigint NOT NULL,
	`at` char(24) NOT NULL,
	`who` varchar(60) NOT NULL,
	`action` varchar(60) NOT NULL,
	`kind` varchar(40) NOT NULL,
	`record_key` varchar(200) NOT NULL,
	`before_value` mediumtext,
	`after_value` mediumtext,
	`previous` char(64) NOT NULL,
	`hash` char(64) NOT NULL,
	CONSTRAINT `ledger_project_id_seq_pk` PRIMARY KEY(`project_id`,`seq`)
);
--> statement-breakpoint
CREATE TABLE `ledger_heads` (
	`project_id` bigint NOT NULL,
	`seq` bigint NOT NULL,
	`hash` char(64) NOT NULL,
	CONSTRAINT `ledger_heads_project_id` PRIMARY KEY(`project_id`)
);
--> statement-breakpoint
CREATE TABLE `memberships` (
	`project_id` bigint NOT NULL,
	`person_id` bigint NOT NULL,
	`role` varchar(20) NOT NULL,
	CONSTRAINT `memberships_project_id_person_id_role_pk` PRIMARY KEY(`project_id`,`person_id`,`role`)
);
--> statement-breakpoint
CREATE TABLE `people` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`login` varchar(60) NOT NULL,
	`printed_name` varchar(300) NOT NULL,
	`password_hash` varchar(200) NOT NULL,
	`installation` boolean NOT NULL DEFAULT false,
	`disabled` boolean NOT NULL DEFAULT false,
	`failures` int NOT NULL DEFAULT 0,
	`locked_until` char(24),
	CONSTRAINT `people_id` PRIMARY KEY(`id`),
	CONSTRAINT `people_login` UNIQUE(`login`)
);
--> statement-breakpoint
CREATE TABLE `projects` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`slug` varchar(60) NOT NULL,
	`name` varchar(300) NOT NULL,
	`level` varchar(60) NOT NULL,
	`profile` mediumtext NOT NULL,
	CONSTRAINT `projects_id` PRIMARY KEY(`id`),
	CONSTRAINT `projects_slug` UNIQUE(`slug`)
);
--> statement-breakpoint
CREATE TABLE `revisions` (
	`kind` varchar(20) NOT NULL,
	`record_id` bigint NOT NULL,
	`revision` int NOT NULL,
	`project_id` bigint NOT NULL,
	`snapshot` mediumtext NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	CONSTRAINT `revisions_kind_record_id_revision_pk` PRIMARY KEY(`kind`,`record_id`,`revision`)
);
--> statement-breakpoint
CREATE TABLE `sessions` (
	`id_hash` char(64) NOT NULL,
	`person_id` bigint NOT NULL,
	`created_at` char(24) NOT NULL,
	`expires_at` char(24) NOT NULL,
	CONSTRAINT `sessions_id_hash` PRIMARY KEY(`id_hash`)
);
--> statement-breakpoint
CREATE TABLE `settings` (
	`name` varchar(60) NOT NULL,
	`value` mediumtext NOT NULL,
	CONSTRAINT `settings_name` PRIMARY KEY(`name`)
);
--> statement-breakpoint
CREATE TABLE `signatures` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`run_id` bigint NOT NULL,
	`meaning` varchar(20) NOT NULL,
	`login` varchar(60) NOT NULL,
	`printed_name` varchar(300) NOT NULL,
	`at` char(24) NOT NULL,
	`hash` char(64) NOT NULL,
	`reason` mediumtext NOT NULL,
	CONSTRAINT `signatures_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `traces` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`kind` varchar(20) NOT NULL,
	`from_key` varchar(60) NOT NULL,
	`to_key` varchar(60) NOT NULL,
	`from_revision` int NOT NULL,
	`to_revision` int NOT NULL,
	`confirmed_by` varchar(60) NOT NULL,
	`confirmed_at` char(24) NOT NULL,
	`reason` mediumtext NOT NULL,
	`removed_at` char(24),
	CONSTRAINT `traces_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `cases` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_key` varchar(60) NOT NULL,
	`revision` int NOT NULL,
	`state` varchar(20) NOT NULL,
	`ever_approved` int NOT NULL,
	`title` varchar(300) NOT NULL,
	`objective` mediumtext NOT NULL,
	`preconditions` mediumtext NOT NULL,
	`steps` mediumtext NOT NULL,
	`planned_minutes` double NOT NULL,
	`updated_by` varchar(60) NOT NULL,
	`updated_at` char(24) NOT NULL,
	CONSTRAINT `cases_id` PRIMARY KEY(`id`),
	CONSTRAINT `cases_key` UNIQUE(`project_id`,`record_key`)
);
--> statement-breakpoint
CREATE TABLE `code_traces` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`path` varchar(400) NOT NULL,
	`unit` varchar(300) NOT NULL,
	`requirement` varchar(60) NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	`removed_at` char(24),
	CONSTRAINT `code_traces_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `measurements` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`build` varchar(60) NOT NULL,
	`case_key` varchar(60) NOT NULL,
	`file_name` varchar(300) NOT NULL,
	`sha256` char(64) NOT NULL,
	`data` mediumblob NOT NULL,
	`loaded_by` varchar(60) NOT NULL,
	`loaded_at` char(24) NOT NULL,
	`superseded_at` char(24),
	CONSTRAINT `measurements_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `sources` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`build` varchar(60) NOT NULL,
	`path` varchar(400) NOT NULL,
	`body` mediumtext NOT NULL,
	`sha256` char(64) NOT NULL,
	`functions` mediumtext NOT NULL,
	`superseded_at` char(24),
	CONSTRAINT `sources_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `decisions` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`run_id` bigint NOT NULL,
	`choice` varchar(30) NOT NULL,
	`reason` mediumtext NOT NULL,
	`login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	CONSTRAINT `decisions_id` PRIMARY KEY(`id`)
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
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_key` varchar(60) NOT NULL,
	`title` varchar(300) NOT NULL,
	`description` mediumtext NOT NULL,
	`blocking` boolean NOT NULL,
	`state` varchar(20) NOT NULL,
	`run` varchar(60),
	`step` int,
	`case_key` varchar(60),
	`build` varchar(60) NOT NULL,
	`requirements` mediumtext NOT NULL,
	`revision` int NOT NULL,
	`raised_by` varchar(60) NOT NULL,
	`raised_at` char(24) NOT NULL,
	`closed_reason` mediumtext NOT NULL,
	CONSTRAINT `problems_id` PRIMARY KEY(`id`),
	CONSTRAINT `problems_key` UNIQUE(`project_id`,`record_key`)
);
--> statement-breakpoint
CREATE TABLE `rounds` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_key` varchar(60) NOT NULL,
	`build` varchar(60) NOT NULL,
	`title` varchar(300) NOT NULL,
	`configuration` varchar(300) NOT NULL,
	`unit` varchar(300) NOT NULL,
	`tools` varchar(300) NOT NULL,
	`created_by` varchar(60) NOT NULL,
	`created_at` char(24) NOT NULL,
	CONSTRAINT `rounds_id` PRIMARY KEY(`id`),
	CONSTRAINT `rounds_key` UNIQUE(`project_id`,`record_key`)
);
--> statement-breakpoint
CREATE TABLE `runs` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_key` varchar(60) NOT NULL,
	`round` varchar(60) NOT NULL,
	`build` varchar(60) NOT NULL,
	`case_key` varchar(60) NOT NULL,
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
	`hash` char(64),
	`deviation_accepted` boolean NOT NULL,
	`carried_over_to` int,
	`superseded_by` varchar(60),
	`supersedes` varchar(60),
	`revision` int NOT NULL,
	CONSTRAINT `runs_id` PRIMARY KEY(`id`),
	CONSTRAINT `runs_key` UNIQUE(`project_id`,`record_key`)
);
--> statement-breakpoint
CREATE TABLE `requirements` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`specification` varchar(60) NOT NULL,
	`record_key` varchar(60) NOT NULL,
	`under_key` varchar(60),
	`position` double NOT NULL,
	`revision` int NOT NULL,
	`state` varchar(20) NOT NULL,
	`kind` varchar(20) NOT NULL,
	`title` varchar(300) NOT NULL,
	`body` mediumtext NOT NULL,
	`rationale` mediumtext NOT NULL,
	`level` varchar(40) NOT NULL,
	`method` varchar(20) NOT NULL,
	`top_level` boolean NOT NULL,
	`derived` boolean NOT NULL,
	`not_in_code` boolean NOT NULL,
	`not_in_code_rationale` mediumtext NOT NULL,
	`updated_by` varchar(60) NOT NULL,
	`updated_at` char(24) NOT NULL,
	CONSTRAINT `requirements_id` PRIMARY KEY(`id`),
	CONSTRAINT `requirements_key` UNIQUE(`project_id`,`record_key`)
);
--> statement-breakpoint
CREATE TABLE `specifications` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_key` varchar(60) NOT NULL,
	`title` varchar(300) NOT NULL,
	`prefix` varchar(20) NOT NULL,
	CONSTRAINT `specifications_id` PRIMARY KEY(`id`),
	CONSTRAINT `specifications_key` UNIQUE(`project_id`,`record_key`)
);
--> statement-breakpoint
CREATE INDEX `jobs_state` ON `jobs` (`state`,`id`);--> statement-breakpoint
CREATE INDEX `jobs_project` ON `jobs` (`project_id`,`kind`,`build`);--> statement-breakpoint
CREATE INDEX `ledger_kind` ON `ledger` (`project_id`,`kind`,`seq`);--> statement-breakpoint
CREATE INDEX `ledger_who` ON `ledger` (`project_id`,`who`,`seq`);--> statement-breakpoint
CREATE INDEX `signatures_run` ON `signatures` (`run_id`);--> statement-breakpoint
CREATE INDEX `signatures_project` ON `signatures` (`project_id`);--> statement-breakpoint
CREATE INDEX `traces_from` ON `traces` (`project_id`,`kind`,`from_key`);--> statement-breakpoint
CREATE INDEX `traces_to` ON `traces` (`project_id`,`kind`,`to_key`);--> statement-breakpoint
CREATE INDEX `code_traces_project` ON `code_traces` (`project_id`);--> statement-breakpoint
CREATE INDEX `measurements_build` ON `measurements` (`project_id`,`build`);--> statement-breakpoint
CREATE INDEX `sources_build` ON `sources` (`project_id`,`build`);--> statement-breakpoint
CREATE INDEX `decisions_run` ON `decisions` (`run_id`);--> statement-breakpoint
CREATE INDEX `evidence_run` ON `evidence` (`run_id`);--> statement-breakpoint
CREATE INDEX `rounds_build` ON `rounds` (`project_id`,`build`);--> statement-breakpoint
CREATE INDEX `runs_build` ON `runs` (`project_id`,`build`,`case_key`);--> statement-breakpoint
CREATE INDEX `runs_round` ON `runs` (`project_id`,`round`);--> statement-breakpoint
CREATE INDEX `requirements_specification` ON `requirements` (`project_id`,`specification`,`position`);