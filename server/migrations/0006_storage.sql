CREATE TABLE `project_storage` (
	`project_id` bigint NOT NULL,
	`used` bigint NOT NULL,
	`allowed` bigint NOT NULL,
	CONSTRAINT `project_storage_project_id` PRIMARY KEY(`project_id`)
);
--> statement-breakpoint
ALTER TABLE `project_storage` ADD CONSTRAINT `project_storage_project_id_projects_id_fk` FOREIGN KEY (`project_id`) REFERENCES `projects`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
INSERT INTO `project_storage` (`project_id`, `used`, `allowed`)
SELECT p.`id`,
  (SELECT ifnull(sum(e.`bytes`), 0) FROM `evidence` e WHERE e.`project_id` = p.`id`)
    + (SELECT ifnull(sum(a.`bytes`), 0) FROM `attachments` a WHERE a.`project_id` = p.`id`)
    + (SELECT ifnull(sum(u.`bytes`), 0) FROM `upload_files` u WHERE u.`project_id` = p.`id`)
    + (SELECT ifnull(sum(length(s.`body`)), 0) FROM `sources` s WHERE s.`project_id` = p.`id`),
  21474836480
FROM `projects` p;
