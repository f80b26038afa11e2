ALTER TABLE `journal` DROP COLUMN `commands`;--> statement-breakpoint
ALTER TABLE `journal` DROP COLUMN `changes`;