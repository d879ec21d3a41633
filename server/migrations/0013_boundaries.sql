CREATE TABLE `boundary_counts` (
	`requirement_id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`points` int NOT NULL,
	`open_points` int NOT NULL,
	CONSTRAINT `boundary_counts_requirement_id` PRIMARY KEY(`requirement_id`)
);
--> statement-breakpoint
CREATE TABLE `boundary_progress` (
	`project_id` bigint NOT NULL,
	`seq` bigint NOT NULL,
	`version` int NOT NULL,
	CONSTRAINT `boundary_progress_project_id` PRIMARY KEY(`project_id`)
);
--> statement-breakpoint
ALTER TABLE `boundary_counts` ADD CONSTRAINT `boundary_counts_requirement_id_requirements_id_fk` FOREIGN KEY (`requirement_id`) REFERENCES `requirements`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `boundary_progress` ADD CONSTRAINT `boundary_progress_project_id_projects_id_fk` FOREIGN KEY (`project_id`) REFERENCES `projects`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `boundary_counts_open` ON `boundary_counts` (`project_id`,`open_points`);