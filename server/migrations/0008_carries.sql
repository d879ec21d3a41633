CREATE TABLE `carries` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`units` mediumtext NOT NULL,
	`argument` mediumtext NOT NULL,
	`withdrawn_at` char(24),
	CONSTRAINT `carries_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `carries` ADD CONSTRAINT `carries_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `carries` ADD CONSTRAINT `carries_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `carries_build` ON `carries` (`build_id`);