CREATE TABLE "db_block" (
	"day" integer NOT NULL,
	"service" text NOT NULL,
	"system" text NOT NULL,
	"server" text NOT NULL,
	"first_ns" bigint NOT NULL,
	"last_ns" bigint NOT NULL,
	"seconds" integer NOT NULL,
	"samples" integer NOT NULL,
	"data" "bytea" NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "statement_text" (
	"id" text PRIMARY KEY NOT NULL,
	"system" text NOT NULL,
	"text" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "session_segment" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"part" smallint NOT NULL,
	"label" text DEFAULT '' NOT NULL,
	"changed" bigint NOT NULL,
	"version" smallint NOT NULL,
	"rows" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "session_segment_day_slot_part_pk" PRIMARY KEY("day","slot","part")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "session_slot" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"changed" bigint NOT NULL,
	CONSTRAINT "session_slot_day_slot_pk" PRIMARY KEY("day","slot")
) PARTITION BY LIST (day);
--> statement-breakpoint
DROP TABLE "db_sample" CASCADE;--> statement-breakpoint
ALTER TABLE "db_statement" ADD COLUMN "blocks_temporary" bigint DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "db_statement" ADD COLUMN "read_ms" double precision DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "log_segment" ADD COLUMN "label" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "request_segment" ADD COLUMN "label" text DEFAULT '' NOT NULL;--> statement-breakpoint
CREATE INDEX "db_block_last" ON "db_block" USING btree ("last_ns");--> statement-breakpoint
ALTER TABLE "db_statement" DROP COLUMN "statement";
--> statement-breakpoint
-- Deflated already.
ALTER TABLE "session_segment" ALTER COLUMN "data" SET STORAGE EXTERNAL;
--> statement-breakpoint
ALTER TABLE "db_block" ALTER COLUMN "data" SET STORAGE EXTERNAL;
