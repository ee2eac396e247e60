CREATE TABLE "stack_text" (
	"id" text PRIMARY KEY NOT NULL,
	"text" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "profile_segment" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"part" smallint NOT NULL,
	"label" text DEFAULT '' NOT NULL,
	"changed" bigint NOT NULL,
	"version" smallint NOT NULL,
	"rows" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "profile_segment_day_slot_part_pk" PRIMARY KEY("day","slot","part")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "profile_slot" (
	"day" integer NOT NULL,
	"slot" integer NOT NULL,
	"changed" bigint NOT NULL,
	CONSTRAINT "profile_slot_day_slot_pk" PRIMARY KEY("day","slot")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "code_trial" (
	"id" text PRIMARY KEY NOT NULL,
	"subject" text NOT NULL,
	"begun" timestamp with time zone NOT NULL,
	"trial" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "in_flight" ADD COLUMN "instance" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "in_flight" ADD COLUMN "span_id" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "in_flight" ADD COLUMN "state" text DEFAULT 'running' NOT NULL;--> statement-breakpoint
ALTER TABLE "in_flight" ADD COLUMN "outcome" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "in_flight" ADD COLUMN "wait" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "in_flight" ADD COLUMN "look" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "in_flight" ADD COLUMN "thread" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "in_flight" ADD COLUMN "statement" text DEFAULT '' NOT NULL;--> statement-breakpoint
CREATE INDEX "code_trial_subject" ON "code_trial" USING btree ("subject","begun");--> statement-breakpoint
CREATE INDEX "in_flight_trace" ON "in_flight" USING btree ("trace_id","time_ns");
--> statement-breakpoint
-- Stacks stood in the rows as they were printed; whoever wants those of before finds them in the log records.
UPDATE "in_flight" SET stack = '';
--> statement-breakpoint
-- Deflated already.
ALTER TABLE "profile_segment" ALTER COLUMN "data" SET STORAGE EXTERNAL;
