CREATE TABLE `devices` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`name` text NOT NULL,
	`model_id` text NOT NULL,
	`place_id` text,
	`rate_hz` integer NOT NULL,
	`sends_encoding` text,
	`sends_packet_time_us` integer,
	`link_offset_ns` integer,
	`serial` text,
	`node_id` text,
	`notes` text NOT NULL,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `interfaces` (
	`plan_id` text NOT NULL,
	`device_id` text NOT NULL,
	`name` text NOT NULL,
	`subnet_id` text,
	`address` text,
	PRIMARY KEY(`plan_id`, `device_id`, `name`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `journal` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`plan_id` text NOT NULL,
	`revision` integer NOT NULL,
	`kind` text NOT NULL,
	`is_undoable` integer NOT NULL,
	`of_entry_id` integer,
	`is_spent` integer NOT NULL,
	`author_id` text NOT NULL,
	`author_name` text NOT NULL,
	`at` integer NOT NULL,
	`title` text NOT NULL,
	`commands` text NOT NULL,
	`changes` text NOT NULL,
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE INDEX `journal_plan_revision` ON `journal` (`plan_id`,`revision`);--> statement-breakpoint
CREATE TABLE `channel_labels` (
	`plan_id` text NOT NULL,
	`device_id` text NOT NULL,
	`side` text NOT NULL,
	`channel` integer NOT NULL,
	`label` text NOT NULL,
	PRIMARY KEY(`plan_id`, `device_id`, `side`, `channel`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `links` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`from_end` text NOT NULL,
	`to_end` text NOT NULL,
	`bits_per_second` integer NOT NULL,
	`metres` real NOT NULL,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `models` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`name` text NOT NULL,
	`maker` text NOT NULL,
	`kind` text NOT NULL,
	`channels_receive` integer NOT NULL,
	`channels_send` integer NOT NULL,
	`channel_pool` integer,
	`streams_receive` integer NOT NULL,
	`streams_send` integer NOT NULL,
	`channels_per_stream_max` integer NOT NULL,
	`sends` text NOT NULL,
	`receives` text NOT NULL,
	`rates_hz` text NOT NULL,
	`ports` text NOT NULL,
	`link_offset_min_ns` integer NOT NULL,
	`switching` text,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `places` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`name` text NOT NULL,
	`parent_id` text,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `plans` (
	`id` text PRIMARY KEY NOT NULL,
	`revision` integer NOT NULL,
	`created_at` integer NOT NULL,
	`changed_at` integer NOT NULL,
	`removed_at` integer
);
--> statement-breakpoint
CREATE TABLE `sent_streams` (
	`plan_id` text NOT NULL,
	`sender_device_id` text NOT NULL,
	`slot` integer NOT NULL,
	`channels` text NOT NULL,
	`format` text NOT NULL,
	`group_a` text,
	`group_b` text,
	`receivers` text NOT NULL,
	PRIMARY KEY(`plan_id`, `sender_device_id`, `slot`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `settings` (
	`plan_id` text PRIMARY KEY NOT NULL,
	`id` text NOT NULL,
	`name` text NOT NULL,
	`preferred_encoding` text NOT NULL,
	`preferred_packet_time_us` integer NOT NULL,
	`pool_a` text NOT NULL,
	`pool_b` text NOT NULL,
	`rtp_port` integer NOT NULL,
	`vlan_tagged` integer NOT NULL,
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `subnets` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`name` text NOT NULL,
	`cidr` text NOT NULL,
	`vlan` integer,
	`role` text NOT NULL,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `subscriptions` (
	`plan_id` text NOT NULL,
	`receiver_device_id` text NOT NULL,
	`receiver_channel` integer NOT NULL,
	`sender_device_id` text NOT NULL,
	`sender_channel` integer NOT NULL,
	PRIMARY KEY(`plan_id`, `receiver_device_id`, `receiver_channel`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
