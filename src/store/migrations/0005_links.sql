CREATE TABLE "short_link" (
	"key" text PRIMARY KEY NOT NULL,
	"path" text NOT NULL,
	"made" timestamp with time zone DEFAULT now() NOT NULL
);
