ALTER TABLE `devices` ADD `through_id` text;--> statement-breakpoint
ALTER TABLE `channel_labels` ADD `short` text;--> statement-breakpoint
ALTER TABLE `models` ADD `naming` text;--> statement-breakpoint
ALTER TABLE `models` ADD `receive_map` text;--> statement-breakpoint
ALTER TABLE `models` ADD `passes_through` integer DEFAULT 0 NOT NULL;