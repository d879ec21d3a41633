CREATE TABLE `configuration_plans` (
	`project_id` bigint NOT NULL,
	`dimensions` mediumtext NOT NULL,
	`exclusions` mediumtext NOT NULL,
	CONSTRAINT `configuration_plans_project_id` PRIMARY KEY(`project_id`)
);
--> statement-breakpoint
CREATE TABLE `problem_details` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`severity` varchar(40) NOT NULL,
	`priority` varchar(40) NOT NULL,
	`area` varchar(100) NOT NULL,
	`assigned` varchar(60),
	`due` varchar(10),
	`claimed_in_id` bigint,
	`stage` varchar(30) NOT NULL,
	CONSTRAINT `problem_details_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `problem_lives` (
	`project_id` bigint NOT NULL,
	`stages` mediumtext NOT NULL,
	`severities` mediumtext NOT NULL,
	`areas` mediumtext NOT NULL,
	CONSTRAINT `problem_lives_project_id` PRIMARY KEY(`project_id`)
);
--> statement-breakpoint
CREATE TABLE `result_items` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`upload_id` bigint NOT NULL,
	`position` int NOT NULL,
	`suite` varchar(700) NOT NULL,
	`name` varchar(700) NOT NULL,
	`outcome` varchar(10) NOT NULL,
	`seconds` double NOT NULL,
	`message` mediumtext NOT NULL,
	`run_id` bigint,
	`dismissed` mediumtext,
	CONSTRAINT `result_items_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `result_mappings` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`pattern` varchar(700) NOT NULL,
	`case_id` bigint NOT NULL,
	`data_row` varchar(100),
	`removed_at` char(24),
	CONSTRAINT `result_mappings_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `result_uploads` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`round_id` bigint,
	`configuration` varchar(300) NOT NULL,
	`format` varchar(10) NOT NULL,
	`tool` varchar(100) NOT NULL,
	`version` varchar(60) NOT NULL,
	`sent_by` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	`name` varchar(300) NOT NULL,
	`bytes` bigint NOT NULL,
	`sha256` char(64) NOT NULL,
	`results` int NOT NULL,
	CONSTRAINT `result_uploads_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `round_details` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`folder` varchar(300) NOT NULL,
	`due` varchar(10),
	`is_pattern` boolean NOT NULL,
	CONSTRAINT `round_details_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `run_details` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`conclusion` mediumtext NOT NULL,
	`redlines` mediumtext NOT NULL,
	`performed_by` mediumtext,
	`clock` mediumtext NOT NULL,
	`due` varchar(10),
	`priority` varchar(20) NOT NULL,
	`position` double,
	CONSTRAINT `run_details_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `run_looks` (
	`run_id` bigint NOT NULL,
	`login` varchar(60) NOT NULL,
	`project_id` bigint NOT NULL,
	`hash` char(64) NOT NULL,
	`at` char(24) NOT NULL,
	CONSTRAINT `run_looks_run_id_login_pk` PRIMARY KEY(`run_id`,`login`)
);
--> statement-breakpoint
ALTER TABLE `problem_details` ADD CONSTRAINT `problem_details_id_problems_id_fk` FOREIGN KEY (`id`) REFERENCES `problems`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `problem_details` ADD CONSTRAINT `problem_details_claimed_in_id_builds_id_fk` FOREIGN KEY (`claimed_in_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `result_items` ADD CONSTRAINT `result_items_upload_id_result_uploads_id_fk` FOREIGN KEY (`upload_id`) REFERENCES `result_uploads`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `result_items` ADD CONSTRAINT `result_items_run_id_runs_id_fk` FOREIGN KEY (`run_id`) REFERENCES `runs`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `result_mappings` ADD CONSTRAINT `result_mappings_case_id_cases_id_fk` FOREIGN KEY (`case_id`) REFERENCES `cases`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `result_uploads` ADD CONSTRAINT `result_uploads_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `result_uploads` ADD CONSTRAINT `result_uploads_round_id_rounds_id_fk` FOREIGN KEY (`round_id`) REFERENCES `rounds`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `round_details` ADD CONSTRAINT `round_details_id_rounds_id_fk` FOREIGN KEY (`id`) REFERENCES `rounds`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `run_details` ADD CONSTRAINT `run_details_id_runs_id_fk` FOREIGN KEY (`id`) REFERENCES `runs`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `run_looks` ADD CONSTRAINT `run_looks_run_id_runs_id_fk` FOREIGN KEY (`run_id`) REFERENCES `runs`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `problem_details_project` ON `problem_details` (`project_id`,`stage`);--> statement-breakpoint
CREATE INDEX `problem_details_assigned` ON `problem_details` (`project_id`,`assigned`);--> statement-breakpoint
CREATE INDEX `result_items_upload` ON `result_items` (`upload_id`,`position`);--> statement-breakpoint
CREATE INDEX `result_items_open` ON `result_items` (`project_id`,`run_id`);--> statement-breakpoint
CREATE INDEX `result_mappings_project` ON `result_mappings` (`project_id`);--> statement-breakpoint
CREATE INDEX `result_mappings_case` ON `result_mappings` (`case_id`);--> statement-breakpoint
CREATE INDEX `result_uploads_build` ON `result_uploads` (`project_id`,`build_id`);--> statement-breakpoint
CREATE INDEX `run_details_project` ON `run_details` (`project_id`,`due`);