CREATE TABLE `run_devices` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`notes` mediumtext NOT NULL,
	`handed_in` mediumtext NOT NULL,
	CONSTRAINT `run_devices_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `run_devices` ADD CONSTRAINT `run_devices_id_runs_id_fk` FOREIGN KEY (`id`) REFERENCES `runs`(`id`) ON DELETE no action ON UPDATE no action;