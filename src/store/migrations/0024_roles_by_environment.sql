CREATE TABLE "spare_room" (
	"day" integer NOT NULL,
	"table" text NOT NULL,
	"row_bytes" double precision NOT NULL,
	CONSTRAINT "spare_room_day_table_pk" PRIMARY KEY("day","table")
);
--> statement-breakpoint
ALTER TABLE "account_user" ADD COLUMN "environment_roles" jsonb DEFAULT '{}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "sender_token" ADD COLUMN "names_per_minute" bigint;--> statement-breakpoint
ALTER TABLE "dropped_day" ADD COLUMN "until" timestamp with time zone;