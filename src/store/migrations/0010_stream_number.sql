-- Which of a device's streams it is was called `slot`, as the places on a slot bus are. Within JSON text `"slot":` can only be that
-- field: in a label its quotes would be escaped.
UPDATE `records` SET `value` = replace(`value`, '"slot":', '"streamNumber":') WHERE `table_name` IN ('layouts', 'sentStreams', 'groupChoices');
--> statement-breakpoint
UPDATE `journal` SET `commands` = replace(`commands`, '"slot":', '"streamNumber":'), `changes` = replace(`changes`, '"slot":', '"streamNumber":');
