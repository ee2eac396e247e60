CREATE TABLE "check_run" (
	"day" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"service" text NOT NULL,
	"name" text NOT NULL,
	"kind" text NOT NULL,
	"ok" boolean NOT NULL,
	"duration_ms" double precision NOT NULL,
	"place" text NOT NULL,
	"error" text NOT NULL,
	"steps" jsonb NOT NULL,
	"picture" text NOT NULL,
	"page" text NOT NULL,
	"trace_id" text NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "visit_segment" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"part" smallint NOT NULL,
	"label" text DEFAULT '' NOT NULL,
	"changed" bigint NOT NULL,
	"version" smallint NOT NULL,
	"rows" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "visit_segment_day_slot_part_pk" PRIMARY KEY("day","slot","part")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "visit_slot" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"changed" bigint NOT NULL,
	CONSTRAINT "visit_slot_day_slot_pk" PRIMARY KEY("day","slot")
) PARTITION BY LIST (day);
--> statement-breakpoint
ALTER TABLE "visit" ADD COLUMN "about" jsonb DEFAULT '{}'::jsonb NOT NULL;--> statement-breakpoint
CREATE INDEX "check_run_time" ON "check_run" USING btree ("time_ns");
--> statement-breakpoint
-- Deflated already.
ALTER TABLE "visit_segment" ALTER COLUMN "data" SET STORAGE EXTERNAL;
