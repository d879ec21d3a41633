CREATE TABLE `news_marks` (
	`project_id` bigint NOT NULL,
	`person_id` bigint NOT NULL,
	`seen_seq` bigint NOT NULL,
	`off_kinds` mediumtext NOT NULL,
	CONSTRAINT `news_marks_project_id_person_id_pk` PRIMARY KEY(`project_id`,`person_id`)
);
