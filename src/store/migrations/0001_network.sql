CREATE TABLE `group_choices` (
	`plan_id` text NOT NULL,
	`sender_device_id` text NOT NULL,
	`slot` integer NOT NULL,
	`group_a` text,
	`group_b` text,
	PRIMARY KEY(`plan_id`, `sender_device_id`, `slot`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `switch_settings` (
	`plan_id` text NOT NULL,
	`id` text NOT NULL,
	`snooping` integer NOT NULL,
	`trusts_dscp` integer NOT NULL,
	`queue_by_dscp` text NOT NULL,
	`energy_saving` integer NOT NULL,
	`spanning_tree` integer NOT NULL,
	`bridge_priority` integer NOT NULL,
	`multicast_routing` integer NOT NULL,
	PRIMARY KEY(`plan_id`, `id`),
	FOREIGN KEY (`plan_id`) REFERENCES `plans`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
ALTER TABLE `devices` ADD `sends_unicast` integer DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE `links` ADD `cable` text;--> statement-breakpoint
ALTER TABLE `links` ADD `duplex` text DEFAULT 'full' NOT NULL;--> statement-breakpoint
ALTER TABLE `links` ADD `joined_as` text;--> statement-breakpoint
ALTER TABLE `links` ADD `set_aside_percent` integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE `links` ADD `carries` text;--> statement-breakpoint
ALTER TABLE `settings` ADD `load_ceiling_percent` integer DEFAULT 70 NOT NULL;--> statement-breakpoint
ALTER TABLE `settings` ADD `control_bits_per_second` integer DEFAULT 1000000 NOT NULL;--> statement-breakpoint
ALTER TABLE `settings` ADD `multicast_ttl` integer DEFAULT 32 NOT NULL;--> statement-breakpoint
ALTER TABLE `settings` ADD `ptp_dscp` integer DEFAULT 46 NOT NULL;--> statement-breakpoint
ALTER TABLE `settings` ADD `media_dscp` integer DEFAULT 34 NOT NULL;--> statement-breakpoint
ALTER TABLE `settings` ADD `discovery` text DEFAULT 'registry' NOT NULL;--> statement-breakpoint
ALTER TABLE `subnets` ADD `dhcp` text;--> statement-breakpoint
ALTER TABLE `subnets` ADD `gateway` text;--> statement-breakpoint
ALTER TABLE `subnets` ADD `querier_ids` text DEFAULT '[]' NOT NULL;