CREATE TABLE `field_places` (
	`kind` text NOT NULL,
	`value` text NOT NULL,
	`author_name` text NOT NULL,
	`at` integer NOT NULL,
	PRIMARY KEY(`kind`, `value`)
);
