CREATE TABLE `clock_groups` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`name` text NOT NULL,
	`rate_hz` integer NOT NULL,
	`authority` text,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `clock_settings` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`runs_ptp` integer NOT NULL,
	`client_only` integer NOT NULL,
	`domain_number` integer NOT NULL,
	`profile` text NOT NULL,
	`priority1` integer NOT NULL,
	`priority2` integer NOT NULL,
	`log_announce_interval` integer NOT NULL,
	`log_sync_interval` integer NOT NULL,
	`log_delay_request_interval` integer NOT NULL,
	`announce_timeout` integer NOT NULL,
	`clock_identity` text,
	`relay` text NOT NULL,
	`unicast_master_ids` text NOT NULL,
	`media_clock` text NOT NULL,
	`reference_ids` text NOT NULL,
	`group_id` text,
	`second_group_id` text,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `clock_references` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`name` text NOT NULL,
	`kind` text NOT NULL,
	`from_device_id` text,
	`rate_hz` integer,
	`is_fed` integer NOT NULL,
	`offset_ns` integer NOT NULL,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
ALTER TABLE `models` ADD `clock` text;