CREATE TABLE `attestations` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`build_id` bigint NOT NULL,
	`path` varchar(400) NOT NULL,
	`unit` varchar(300) NOT NULL,
	`text_hash` char(64) NOT NULL,
	`metric` varchar(20) NOT NULL,
	`argument` mediumtext NOT NULL,
	`withdrawn_at` char(24),
	CONSTRAINT `attestations_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `saved_filters` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`login` varchar(60) NOT NULL,
	`list` varchar(20) NOT NULL,
	`name` varchar(120) NOT NULL,
	`question` mediumtext NOT NULL,
	`shared` boolean NOT NULL,
	`first` boolean NOT NULL,
	`at` char(24) NOT NULL,
	CONSTRAINT `saved_filters_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `attestations` ADD CONSTRAINT `attestations_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `attestations` ADD CONSTRAINT `attestations_build_id_builds_id_fk` FOREIGN KEY (`build_id`) REFERENCES `builds`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `attestations_build` ON `attestations` (`build_id`,`path`);--> statement-breakpoint
CREATE INDEX `saved_filters_list` ON `saved_filters` (`project_id`,`list`,`login`);