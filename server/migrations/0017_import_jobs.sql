CREATE TABLE `import_jobs` (
	`job_id` bigint NOT NULL,
	`incoming` char(32) NOT NULL,
	`specification` varchar(60) NOT NULL,
	`file_name` varchar(300) NOT NULL,
	`mapping` mediumtext NOT NULL,
	`missing` varchar(10) NOT NULL,
	CONSTRAINT `import_jobs_job_id` PRIMARY KEY(`job_id`)
);
