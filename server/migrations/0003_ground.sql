CREATE TABLE `bulk_acts` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`act` mediumtext NOT NULL,
	`reason` mediumtext NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	`job_id` bigint,
	`undone_by` bigint,
	CONSTRAINT `bulk_acts_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `bulk_items` (
	`bulk_id` bigint NOT NULL,
	`position` int NOT NULL,
	`record_id` bigint NOT NULL,
	`revision` int NOT NULL,
	`state` varchar(20) NOT NULL,
	`outcome` varchar(10) NOT NULL,
	`words` varchar(500) NOT NULL DEFAULT '',
	`undo` mediumtext,
	`after_revision` int,
	`after_state` varchar(20),
	CONSTRAINT `bulk_items_bulk_id_position_pk` PRIMARY KEY(`bulk_id`,`position`)
);
--> statement-breakpoint
CREATE TABLE `incoming` (
	`id` char(32) NOT NULL,
	`project_id` bigint NOT NULL,
	`login` varchar(60) NOT NULL,
	`name` varchar(300) NOT NULL,
	`mime` varchar(120) NOT NULL,
	`bytes` bigint NOT NULL,
	`received` bigint NOT NULL,
	`until_at` char(24) NOT NULL,
	CONSTRAINT `incoming_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `incoming_parts` (
	`id` char(32) NOT NULL,
	`at_byte` bigint NOT NULL,
	`bytes` mediumblob NOT NULL,
	CONSTRAINT `incoming_parts_id_at_byte_pk` PRIMARY KEY(`id`,`at_byte`)
);
--> statement-breakpoint
CREATE TABLE `limits` (
	`name` varchar(200) NOT NULL,
	`count` int NOT NULL,
	`until_at` char(24) NOT NULL,
	CONSTRAINT `limits_name` PRIMARY KEY(`name`)
);
--> statement-breakpoint
CREATE TABLE `tokens` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`name` varchar(40) NOT NULL,
	`secret_hash` char(64) NOT NULL,
	`roles` mediumtext NOT NULL,
	`created_by` varchar(60) NOT NULL,
	`created_at` char(24) NOT NULL,
	`expires_at` char(24) NOT NULL,
	`ended_at` char(24),
	CONSTRAINT `tokens_id` PRIMARY KEY(`id`),
	CONSTRAINT `tokens_secret` UNIQUE(`secret_hash`),
	CONSTRAINT `tokens_name` UNIQUE(`project_id`,`name`)
);
--> statement-breakpoint
CREATE TABLE `cord_history` (
	`build_id` bigint NOT NULL,
	`requirement_id` bigint NOT NULL,
	`seq` bigint NOT NULL,
	`cord` mediumtext,
	CONSTRAINT `cord_history_build_id_requirement_id_seq_pk` PRIMARY KEY(`build_id`,`requirement_id`,`seq`)
);
--> statement-breakpoint
CREATE TABLE `judged_at` (
	`build_id` bigint NOT NULL,
	`seq` bigint NOT NULL,
	CONSTRAINT `judged_at_build_id_seq_pk` PRIMARY KEY(`build_id`,`seq`)
);
--> statement-breakpoint
CREATE TABLE `pack_keys` (
	`id` int NOT NULL,
	`public_key` mediumtext NOT NULL,
	`private_key` mediumtext NOT NULL,
	`made_at` char(24) NOT NULL,
	`signature` varchar(200),
	CONSTRAINT `pack_keys_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `people` ADD `code_until` char(24);--> statement-breakpoint
ALTER TABLE `sessions` ADD `seen_at` char(24) NOT NULL;--> statement-breakpoint
ALTER TABLE `sessions` ADD `device` varchar(200) DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE `bulk_items` ADD CONSTRAINT `bulk_items_bulk_id_bulk_acts_id_fk` FOREIGN KEY (`bulk_id`) REFERENCES `bulk_acts`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `bulk_items` ADD CONSTRAINT `bulk_items_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `cord_history` ADD CONSTRAINT `cord_history_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `cord_history` ADD CONSTRAINT `cord_history_requirement_id_records_id_fk` FOREIGN KEY (`requirement_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `bulk_acts_project` ON `bulk_acts` (`project_id`,`id`);--> statement-breakpoint
CREATE INDEX `bulk_items_outcome` ON `bulk_items` (`bulk_id`,`outcome`);--> statement-breakpoint
CREATE INDEX `incoming_until` ON `incoming` (`until_at`);--> statement-breakpoint
CREATE INDEX `incoming_project` ON `incoming` (`project_id`,`login`);--> statement-breakpoint
CREATE INDEX `limits_until` ON `limits` (`until_at`);--> statement-breakpoint
CREATE INDEX `cord_history_seq` ON `cord_history` (`build_id`,`seq`);--> statement-breakpoint
ALTER TABLE `people` DROP COLUMN `failures`;--> statement-breakpoint
ALTER TABLE `people` DROP COLUMN `locked_until`;