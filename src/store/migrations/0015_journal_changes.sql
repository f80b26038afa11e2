CREATE TABLE `journal_changes` (
	`entry_id` integer PRIMARY KEY NOT NULL,
	`changes` text NOT NULL,
	FOREIGN KEY (`entry_id`) REFERENCES `journal`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
ALTER TABLE `journal` ADD `records` integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE `journal` ADD `bytes` integer DEFAULT 0 NOT NULL;--> statement-breakpoint
INSERT INTO `journal_changes` (`entry_id`, `changes`) SELECT `id`, `changes` FROM `journal`;--> statement-breakpoint
UPDATE `journal` SET `records` = json_array_length(`changes`), `bytes` = length(CAST(`changes` AS BLOB));
