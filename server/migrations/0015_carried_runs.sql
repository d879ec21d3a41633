CREATE TABLE `run_carries` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`from_build_id` bigint NOT NULL,
	`runs` mediumtext NOT NULL,
	`functions` mediumtext NOT NULL,
	`outside` mediumtext NOT NULL,
	`sources` char(64) NOT NULL,
	`argument` mediumtext NOT NULL,
	`withdrawn_at` char(24),
	CONSTRAINT `run_carries_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `run_carries` ADD CONSTRAINT `run_carries_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `run_carries` ADD CONSTRAINT `run_carries_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `run_carries` ADD CONSTRAINT `run_carries_from_build_id_builds_id_fk` FOREIGN KEY (`from_build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `run_carries_build` ON `run_carries` (`build_id`,`from_build_id`);