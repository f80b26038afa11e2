CREATE TABLE `stream_layouts` (
	`plan_id` text NOT NULL,
	`sender_device_id` text NOT NULL,
	`slot` integer NOT NULL,
	`channels` text NOT NULL,
	`format` text NOT NULL,
	`is_held` integer NOT NULL,
	PRIMARY KEY(`plan_id`, `sender_device_id`, `slot`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
