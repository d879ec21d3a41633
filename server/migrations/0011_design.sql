CREATE TABLE `case_depends` (
	`case_id` bigint NOT NULL,
	`on_id` bigint NOT NULL,
	CONSTRAINT `case_depends_case_id_on_id_pk` PRIMARY KEY(`case_id`,`on_id`)
);
--> statement-breakpoint
CREATE TABLE `case_details` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`postconditions` mediumtext NOT NULL,
	`kind` varchar(30) NOT NULL,
	`priority` varchar(40) NOT NULL,
	`tags` mediumtext NOT NULL,
	`addresses` mediumtext NOT NULL,
	`depends_on` mediumtext NOT NULL,
	`script` varchar(500) NOT NULL,
	`arguments` mediumtext NOT NULL,
	`samples` mediumtext,
	`layout` mediumtext NOT NULL,
	CONSTRAINT `case_details_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `case_groups` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`purpose` mediumtext NOT NULL,
	`case_ids` mediumtext NOT NULL,
	CONSTRAINT `case_groups_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `case_kinds` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`name` varchar(30) NOT NULL,
	`title` varchar(300) NOT NULL,
	`description` mediumtext NOT NULL,
	`part` varchar(20) NOT NULL,
	`evidence` boolean NOT NULL,
	`own_fields` mediumtext NOT NULL,
	`retired` boolean NOT NULL,
	CONSTRAINT `case_kinds_id` PRIMARY KEY(`id`),
	CONSTRAINT `case_kinds_name` UNIQUE(`project_id`,`name`)
);
--> statement-breakpoint
CREATE TABLE `case_origins` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`source_id` bigint NOT NULL,
	`source_revision` int NOT NULL,
	`identity` mediumtext NOT NULL,
	`identity_hash` char(64) NOT NULL,
	`fingerprint` char(64) NOT NULL,
	`case_revision` int NOT NULL,
	CONSTRAINT `case_origins_id` PRIMARY KEY(`id`),
	CONSTRAINT `case_origins_identity` UNIQUE(`source_id`,`identity_hash`)
);
--> statement-breakpoint
CREATE TABLE `case_places` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`folder_id` bigint,
	CONSTRAINT `case_places_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `folders` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`under_id` bigint,
	`position` double NOT NULL,
	`description` mediumtext NOT NULL,
	CONSTRAINT `folders_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `group_members` (
	`group_id` bigint NOT NULL,
	`case_id` bigint NOT NULL,
	`position` int NOT NULL,
	CONSTRAINT `group_members_group_id_case_id_pk` PRIMARY KEY(`group_id`,`case_id`)
);
--> statement-breakpoint
CREATE TABLE `models` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`ever_approved` boolean NOT NULL,
	`description` mediumtext NOT NULL,
	`body` mediumtext NOT NULL,
	CONSTRAINT `models_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `case_depends` ADD CONSTRAINT `case_depends_case_id_cases_id_fk` FOREIGN KEY (`case_id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `case_depends` ADD CONSTRAINT `case_depends_on_id_cases_id_fk` FOREIGN KEY (`on_id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `case_details` ADD CONSTRAINT `case_details_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `case_groups` ADD CONSTRAINT `case_groups_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `case_kinds` ADD CONSTRAINT `case_kinds_project_id_projects_id_fk` FOREIGN KEY (`project_id`) REFERENCES `projects`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `case_origins` ADD CONSTRAINT `case_origins_id_cases_id_fk` FOREIGN KEY (`id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `case_origins` ADD CONSTRAINT `case_origins_source_id_records_id_fk` FOREIGN KEY (`source_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `case_places` ADD CONSTRAINT `case_places_id_cases_id_fk` FOREIGN KEY (`id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `case_places` ADD CONSTRAINT `case_places_folder_id_folders_id_fk` FOREIGN KEY (`folder_id`) REFERENCES `folders`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `folders` ADD CONSTRAINT `folders_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `group_members` ADD CONSTRAINT `group_members_group_id_case_groups_id_fk` FOREIGN KEY (`group_id`) REFERENCES `case_groups`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `group_members` ADD CONSTRAINT `group_members_case_id_cases_id_fk` FOREIGN KEY (`case_id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `models` ADD CONSTRAINT `models_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `case_depends_on` ON `case_depends` (`on_id`);--> statement-breakpoint
CREATE INDEX `case_details_project` ON `case_details` (`project_id`,`kind`);--> statement-breakpoint
CREATE INDEX `case_groups_project` ON `case_groups` (`project_id`);--> statement-breakpoint
CREATE INDEX `case_origins_project` ON `case_origins` (`project_id`);--> statement-breakpoint
CREATE INDEX `case_places_folder` ON `case_places` (`folder_id`);--> statement-breakpoint
CREATE INDEX `case_places_project` ON `case_places` (`project_id`);--> statement-breakpoint
CREATE INDEX `folders_place` ON `folders` (`project_id`,`under_id`,`position`);--> statement-breakpoint
CREATE INDEX `group_members_case` ON `group_members` (`case_id`);--> statement-breakpoint
CREATE INDEX `models_project` ON `models` (`project_id`);--> statement-breakpoint
INSERT IGNORE INTO `trace_kinds` (`project_id`, `name`, `forward`, `backward`, `from_kinds`, `to_kinds`, `circles`) SELECT `id`, 'models', 'models', 'is modelled by', '["flow","parameters","decisionTable","stateTable"]', '["requirement"]', false FROM `projects`;--> statement-breakpoint
INSERT IGNORE INTO `trace_kinds` (`project_id`, `name`, `forward`, `backward`, `from_kinds`, `to_kinds`, `circles`) SELECT `id`, 'together', 'verifies as a whole', 'is verified as a whole by', '["group"]', '["requirement"]', false FROM `projects`;
