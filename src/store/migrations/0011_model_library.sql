CREATE TABLE `library_models` (
	`model_id` text NOT NULL,
	`version` integer NOT NULL,
	`value` text,
	`author_id` text NOT NULL,
	`author_name` text NOT NULL,
	`at` integer NOT NULL,
	`note` text NOT NULL,
	PRIMARY KEY(`model_id`, `version`)
);
