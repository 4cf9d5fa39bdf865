CREATE TABLE `events` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`sealed` blob NOT NULL
);
--> statement-breakpoint
CREATE TABLE `folders` (
	`id` text PRIMARY KEY NOT NULL,
	`sealed` blob NOT NULL,
	`header` blob
);
--> statement-breakpoint
CREATE TABLE `gate` (
	`id` integer PRIMARY KEY NOT NULL,
	`failures` integer NOT NULL,
	`blocked_until` integer NOT NULL,
	`hint` text
);
--> statement-breakpoint
CREATE TABLE `inbox` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`sealed` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `jobs` (
	`id` text PRIMARY KEY NOT NULL,
	`folder` text NOT NULL,
	`verb` text NOT NULL,
	`state` text NOT NULL,
	`phase` text NOT NULL,
	`files` integer NOT NULL,
	`files_total` integer NOT NULL,
	`bytes` integer NOT NULL,
	`bytes_total` integer NOT NULL,
	`error` text,
	`pid` integer NOT NULL,
	`started_at` integer NOT NULL,
	`ended_at` integer
);
