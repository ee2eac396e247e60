CREATE TABLE "request_segment" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"part" smallint NOT NULL,
	"changed" bigint NOT NULL,
	"version" smallint NOT NULL,
	"rows" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "request_segment_day_slot_part_pk" PRIMARY KEY("day","slot","part")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "request_slot" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"changed" bigint NOT NULL,
	CONSTRAINT "request_slot_day_slot_pk" PRIMARY KEY("day","slot")
) PARTITION BY LIST (day);
--> statement-breakpoint
-- Deflated already.
ALTER TABLE "request_segment" ALTER COLUMN "data" SET STORAGE EXTERNAL;
