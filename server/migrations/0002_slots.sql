CREATE TABLE `slots` (
	`id` text PRIMARY KEY NOT NULL,
	`public_key` text NOT NULL
);
