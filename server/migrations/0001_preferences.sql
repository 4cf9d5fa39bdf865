CREATE TABLE `preferences` (
	`id` integer PRIMARY KEY NOT NULL,
	`json` text NOT NULL
);
