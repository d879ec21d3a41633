CREATE TABLE `round_jobs` (
	`job_id` bigint NOT NULL,
	`asked` mediumtext NOT NULL,
	CONSTRAINT `round_jobs_job_id` PRIMARY KEY(`job_id`)
);
--> statement-breakpoint
CREATE INDEX `requirements_level` ON `requirements` (`project_id`,`level`);