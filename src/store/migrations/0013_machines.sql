CREATE TABLE "host_processes" (
	"day" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"service" text NOT NULL,
	"host" text NOT NULL,
	"processes" jsonb NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "object_event" (
	"day" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"service" text NOT NULL,
	"object_id" text NOT NULL,
	"kind" text NOT NULL,
	"name" text NOT NULL,
	"reason" text NOT NULL,
	"message" text NOT NULL,
	"trouble" boolean NOT NULL,
	"count" integer NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "machine_segment" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"part" smallint NOT NULL,
	"label" text DEFAULT '' NOT NULL,
	"changed" bigint NOT NULL,
	"version" smallint NOT NULL,
	"rows" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "machine_segment_day_slot_part_pk" PRIMARY KEY("day","slot","part")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "machine_slot" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"changed" bigint NOT NULL,
	CONSTRAINT "machine_slot_day_slot_pk" PRIMARY KEY("day","slot")
) PARTITION BY LIST (day);
--> statement-breakpoint
ALTER TABLE "inventory" ADD COLUMN "stands_on" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "inventory" ADD COLUMN "uses" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "inventory" ADD COLUMN "labels" jsonb DEFAULT '{}'::jsonb NOT NULL;--> statement-breakpoint
CREATE INDEX "host_processes_host" ON "host_processes" USING btree ("host","time_ns");--> statement-breakpoint
CREATE INDEX "object_event_time" ON "object_event" USING btree ("time_ns");--> statement-breakpoint
CREATE INDEX "object_event_object" ON "object_event" USING btree ("object_id","time_ns");--> statement-breakpoint
CREATE INDEX "inventory_kind" ON "inventory" USING btree ("kind","object_id","time_ns");--> statement-breakpoint
CREATE INDEX "metric_point_time" ON "metric_point" USING brin ("time_ns");--> statement-breakpoint
-- Deflated already.
ALTER TABLE "machine_segment" ALTER COLUMN "data" SET STORAGE EXTERNAL;
