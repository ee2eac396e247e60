CREATE TABLE "log_shape" (
	"id" text PRIMARY KEY NOT NULL,
	"template" jsonb NOT NULL,
	"counted_as" text NOT NULL,
	"coarse" boolean NOT NULL,
	"first_ns" bigint NOT NULL,
	"version" bigint NOT NULL
);
--> statement-breakpoint
CREATE TABLE "log_segment" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"part" smallint NOT NULL,
	"changed" bigint NOT NULL,
	"version" smallint NOT NULL,
	"rows" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "log_segment_day_slot_part_pk" PRIMARY KEY("day","slot","part")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "log_slot" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"changed" bigint NOT NULL,
	CONSTRAINT "log_slot_day_slot_pk" PRIMARY KEY("day","slot")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE INDEX "log_shape_version" ON "log_shape" USING btree ("version");
--> statement-breakpoint
-- Deflated already.
ALTER TABLE "log_segment" ALTER COLUMN "data" SET STORAGE EXTERNAL;
