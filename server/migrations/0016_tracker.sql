CREATE TABLE `tracker_links` (
	`id` bigint NOT NULL,
	`project_id` bigint NOT NULL,
	`their_id` varchar(100),
	`their_url` varchar(500) NOT NULL,
	`base` mediumtext NOT NULL,
	`theirs` mediumtext,
	`conflicts` mediumtext NOT NULL,
	`refused` varchar(500) NOT NULL,
	`linked_by` varchar(60) NOT NULL,
	`linked_at` char(24) NOT NULL,
	`ended_at` char(24),
	CONSTRAINT `tracker_links_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE `tracker_outbox` (
	`id` bigint AUTO_INCREMENT NOT NULL,
	`project_id` bigint NOT NULL,
	`problem_id` bigint NOT NULL,
	`kind` varchar(20) NOT NULL,
	`body` mediumtext,
	`operation` varchar(60) NOT NULL,
	`at` char(24) NOT NULL,
	`tries` int NOT NULL,
	`sent_at` char(24),
	CONSTRAINT `tracker_outbox_id` PRIMARY KEY(`id`),
	CONSTRAINT `tracker_outbox_operation` UNIQUE(`operation`)
);
--> statement-breakpoint
CREATE TABLE `trackers` (
	`project_id` bigint NOT NULL,
	`name` varchar(40) NOT NULL,
	`url` varchar(400) NOT NULL,
	`states` mediumtext NOT NULL,
	`paused` boolean NOT NULL,
	`token` mediumtext NOT NULL,
	`secret` mediumtext NOT NULL,
	`heard` bigint NOT NULL,
	`seen` bigint NOT NULL,
	`heard_at` char(24),
	`fault` varchar(500) NOT NULL,
	`rest_until` char(24),
	`holder` varchar(40) NOT NULL,
	`held_until` char(24),
	CONSTRAINT `trackers_project_id` PRIMARY KEY(`project_id`)
);
--> statement-breakpoint
ALTER TABLE `tracker_links` ADD CONSTRAINT `tracker_links_id_problems_id_fk` FOREIGN KEY (`id`) REFERENCES `problems`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `tracker_outbox` ADD CONSTRAINT `tracker_outbox_problem_id_problems_id_fk` FOREIGN KEY (`problem_id`) REFERENCES `problems`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX `tracker_links_theirs` ON `tracker_links` (`project_id`,`their_id`);--> statement-breakpoint
CREATE INDEX `tracker_outbox_waiting` ON `tracker_outbox` (`project_id`,`sent_at`,`id`);