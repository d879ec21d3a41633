CREATE TABLE `second_factors` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`person_id` bigint NOT NULL,
	`kind` varchar(20) NOT NULL,
	`name` varchar(60) NOT NULL,
	`sealed` mediumtext NOT NULL,
	`credential` varchar(1400) NOT NULL DEFAULT '',
	`counter` int NOT NULL DEFAULT 0,
	`transports` varchar(200) NOT NULL DEFAULT '',
	`last_step` int,
	`created_at` char(24) NOT NULL,
	`confirmed_at` char(24),
	`used_at` char(24),
	CONSTRAINT `second_factors_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `sessions` ADD `factor_pending` boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE `sessions` ADD `factor_at` char(24);--> statement-breakpoint
ALTER TABLE `sessions` ADD `challenge` varchar(200) DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE `second_factors` ADD CONSTRAINT `second_factors_person_id_people_id_fk` FOREIGN KEY (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `second_factors_person` ON `second_factors` (`person_id`);