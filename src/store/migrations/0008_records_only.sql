DROP TABLE `clock_groups`;--> statement-breakpoint
DROP TABLE `clock_settings`;--> statement-breakpoint
DROP TABLE `devices`;--> statement-breakpoint
DROP TABLE `group_choices`;--> statement-breakpoint
DROP TABLE `interfaces`;--> statement-breakpoint
DROP TABLE `channel_labels`;--> statement-breakpoint
DROP TABLE `links`;--> statement-breakpoint
DROP TABLE `models`;--> statement-breakpoint
DROP TABLE `places`;--> statement-breakpoint
DROP TABLE `clock_references`;--> statement-breakpoint
DROP TABLE `sent_streams`;--> statement-breakpoint
DROP TABLE `settings`;--> statement-breakpoint
DROP TABLE `slot_buses`;--> statement-breakpoint
DROP TABLE `slot_units`;--> statement-breakpoint
DROP TABLE `stream_layouts`;--> statement-breakpoint
DROP TABLE `subnets`;--> statement-breakpoint
DROP TABLE `subscriptions`;--> statement-breakpoint
DROP TABLE `switch_settings`;