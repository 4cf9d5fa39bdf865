CREATE TABLE `documents` (
	`name` text PRIMARY KEY NOT NULL,
	`sealed` blob NOT NULL
);
