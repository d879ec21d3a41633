CREATE TABLE `baselines` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`seq` bigint NOT NULL,
	`description` mediumtext NOT NULL,
	`specifications` mediumtext NOT NULL,
	`sha256` char(64) NOT NULL,
	`requirements` int NOT NULL,
	`traces` int NOT NULL,
	CONSTRAINT `baselines_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `gap_exceptions` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_id` bigint NOT NULL,
	`rule` varchar(40) NOT NULL,
	`other_key` varchar(60) NOT NULL,
	`ground` char(64) NOT NULL,
	`reason` text NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	`ended_at` char(24),
	`ended_reason` text NOT NULL,
	CONSTRAINT `gap_exceptions_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `review_answers` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`review_id` bigint NOT NULL,
	`record_id` bigint NOT NULL,
	`revision` int NOT NULL,
	`login` varchar(60) NOT NULL,
	`answer` varchar(10) NOT NULL,
	`note` text NOT NULL,
	`at` char(24) NOT NULL,
	CONSTRAINT `review_answers_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `review_items` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`review_id` bigint NOT NULL,
	`record_id` bigint NOT NULL,
	`revision` int NOT NULL,
	CONSTRAINT `review_items_id` PRIMARY KEY(`id`),
	CONSTRAINT `review_items_record` UNIQUE(`review_id`,`record_id`)
);
--> statement-breakpoint
CREATE TABLE `review_people` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`review_id` bigint NOT NULL,
	`login` varchar(60) NOT NULL,
	CONSTRAINT `review_people_id` PRIMARY KEY(`id`),
	CONSTRAINT `review_people_login` UNIQUE(`review_id`,`login`)
);
--> statement-breakpoint
CREATE TABLE `reviews` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`due` varchar(10) NOT NULL,
	`question` mediumtext NOT NULL,
	`summary` mediumtext NOT NULL,
	CONSTRAINT `reviews_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `wording_dismissals` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`record_id` bigint NOT NULL,
	`rule` varchar(40) NOT NULL,
	`words` varchar(500) NOT NULL,
	`reason` text NOT NULL,
	`by_login` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	`ended_at` char(24),
	CONSTRAINT `wording_dismissals_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `wording_lists` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`lists` mediumtext NOT NULL,
	CONSTRAINT `wording_lists_id` PRIMARY KEY(`id`),
	CONSTRAINT `wording_lists_project` UNIQUE(`project_id`)
);
--> statement-breakpoint
ALTER TABLE `baselines` ADD CONSTRAINT `baselines_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `gap_exceptions` ADD CONSTRAINT `gap_exceptions_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `review_answers` ADD CONSTRAINT `review_answers_review_id_reviews_id_fk` FOREIGN KEY (`review_id`) REFERENCES `reviews`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `review_answers` ADD CONSTRAINT `review_answers_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `review_items` ADD CONSTRAINT `review_items_review_id_reviews_id_fk` FOREIGN KEY (`review_id`) REFERENCES `reviews`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `review_items` ADD CONSTRAINT `review_items_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `review_people` ADD CONSTRAINT `review_people_review_id_reviews_id_fk` FOREIGN KEY (`review_id`) REFERENCES `reviews`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `reviews` ADD CONSTRAINT `reviews_id_records_id_fk` FOREIGN KEY (`id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `wording_dismissals` ADD CONSTRAINT `wording_dismissals_record_id_records_id_fk` FOREIGN KEY (`record_id`) REFERENCES `records`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `wording_lists` ADD CONSTRAINT `wording_lists_project_id_projects_id_fk` FOREIGN KEY (`project_id`) REFERENCES `projects`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `gap_exceptions_record` ON `gap_exceptions` (`record_id`);--> statement-breakpoint
CREATE INDEX `gap_exceptions_project` ON `gap_exceptions` (`project_id`);--> statement-breakpoint
CREATE INDEX `review_answers_review` ON `review_answers` (`review_id`,`record_id`);--> statement-breakpoint
CREATE INDEX `review_items_of` ON `review_items` (`record_id`);--> statement-breakpoint
CREATE INDEX `review_people_asked` ON `review_people` (`project_id`,`login`);--> statement-breakpoint
CREATE INDEX `wording_dismissals_record` ON `wording_dismissals` (`record_id`);--> statement-breakpoint
CREATE INDEX `wording_dismissals_project` ON `wording_dismissals` (`project_id`);