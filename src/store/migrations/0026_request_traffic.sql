CREATE TABLE "request_traffic_segment" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"part" smallint NOT NULL,
	"label" text DEFAULT '' NOT NULL,
	"changed" bigint NOT NULL,
	"version" smallint NOT NULL,
	"rows" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "request_traffic_segment_day_slot_part_pk" PRIMARY KEY("day","slot","part")
) PARTITION BY LIST (day);
--> statement-breakpoint
-- Deflated already.
ALTER TABLE "request_traffic_segment" ALTER COLUMN "data" SET STORAGE EXTERNAL;
