CREATE TABLE `device_runs` (
	`node_device_id` text PRIMARY KEY NOT NULL,
	`plan_id` text NOT NULL,
	`at` integer NOT NULL,
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
