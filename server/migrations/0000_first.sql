CREATE TABLE `documents` (
	`name` text PRIMARY KEY NOT NULL,
	`sealed` blob NOT NULL
);
--> statement-breakpoint
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
	`secret` text NOT NULL,
	`caller` integer NOT NULL,
	`failures` integer NOT NULL,
	`blocked_until` integer NOT NULL,
	`trying` integer NOT NULL,
	PRIMARY KEY(`secret`, `caller`)
);
--> statement-breakpoint
CREATE TABLE `hints` (
	`id` integer PRIMARY KEY NOT NULL,
	`hint` text
);
--> statement-breakpoint
CREATE TABLE `inbox` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`sealed` text NOT NULL,
	`proof` text NOT NULL
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
	`holder` text NOT NULL,
	`started_at` integer NOT NULL,
	`ended_at` integer
);
--> statement-breakpoint
CREATE TABLE `preferences` (
	`id` integer PRIMARY KEY NOT NULL,
	`json` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `slots` (
	`id` text PRIMARY KEY NOT NULL,
	`public_key` text NOT NULL,
	`place` text,
	`proof` text NOT NULL
);
