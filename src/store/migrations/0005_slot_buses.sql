CREATE TABLE `slot_buses` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`name` text NOT NULL,
	`shape` text NOT NULL,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `slot_units` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`bus_id` text NOT NULL,
	`place_along` integer NOT NULL,
	`talks` text NOT NULL,
	`hears` text NOT NULL,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
ALTER TABLE `models` ADD `slots` text;