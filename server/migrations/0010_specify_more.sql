CREATE TABLE `exchanged` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`sha256` char(64) NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	CONSTRAINT `exchanged_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `import_mappings` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`heading` char(64) NOT NULL,
	`mapping` mediumtext NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	CONSTRAINT `import_mappings_id` PRIMARY KEY(`id`),
	CONSTRAINT `import_mappings_heading` UNIQUE(`project_id`,`heading`)
);
--> statement-breakpoint
CREATE TABLE `requirement_details` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`criteria` mediumtext NOT NULL,
	`source` varchar(300) NOT NULL,
	`risk` varchar(40) NOT NULL,
	`priority` varchar(40) NOT NULL,
	`tags` mediumtext NOT NULL,
	CONSTRAINT `requirement_details_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `trace_rules` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`rules` mediumtext NOT NULL,
	CONSTRAINT `trace_rules_id` PRIMARY KEY(`id`),
	CONSTRAINT `trace_rules_project` UNIQUE(`project_id`)
);
--> statement-breakpoint
ALTER TABLE `exchanged` ADD CONSTRAINT `exchanged_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `import_mappings` ADD CONSTRAINT `import_mappings_project_id_projects_id_fk` FOREIGN KEY (`project_id`) REFERENCES `projects`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `requirement_details` ADD CONSTRAINT `requirement_details_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `trace_rules` ADD CONSTRAINT `trace_rules_project_id_projects_id_fk` FOREIGN KEY (`project_id`) REFERENCES `projects`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `requirement_details_project` ON `requirement_details` (`project_id`);--> statement-breakpoint
INSERT IGNORE INTO `trace_kinds` (`project_id`, `name`, `forward`, `backward`, `from_kinds`, `to_kinds`, `circles`) SELECT `id`, 'madeFor', 'was made for', 'is what this is for', '["case","round","specification"]', '["baseline"]', false FROM `projects`;
