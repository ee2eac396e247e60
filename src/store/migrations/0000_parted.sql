-- What versions before this one kept lay in other tables, a row a span; it is not carried over.
DROP TABLE IF EXISTS "span", "reporter", "trace", "operation", "intake_body";
--> statement-breakpoint
CREATE TABLE "dropped_day" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "dropped_day_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"signal" text NOT NULL,
	"day" integer NOT NULL,
	"reason" text NOT NULL,
	"records" bigint NOT NULL,
	"bytes" bigint NOT NULL
);
--> statement-breakpoint
CREATE TABLE "intake_body" (
	"hash" "bytea" PRIMARY KEY NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"accepted" integer NOT NULL,
	"rejected" integer NOT NULL,
	"message" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "log_block" (
	"day" integer NOT NULL,
	"block_id" bigint NOT NULL,
	"arrived" timestamp with time zone DEFAULT now() NOT NULL,
	"first_ns" bigint NOT NULL,
	"last_ns" bigint NOT NULL,
	"records" integer NOT NULL,
	"raw_bytes" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "log_block_block_id_day_pk" PRIMARY KEY("block_id","day")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "metric_block" (
	"day" integer NOT NULL,
	"block_id" bigint NOT NULL,
	"arrived" timestamp with time zone DEFAULT now() NOT NULL,
	"first_ns" bigint NOT NULL,
	"last_ns" bigint NOT NULL,
	"records" integer NOT NULL,
	"raw_bytes" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "metric_block_block_id_day_pk" PRIMARY KEY("block_id","day")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "profile_block" (
	"day" integer NOT NULL,
	"block_id" bigint NOT NULL,
	"arrived" timestamp with time zone DEFAULT now() NOT NULL,
	"first_ns" bigint NOT NULL,
	"last_ns" bigint NOT NULL,
	"records" integer NOT NULL,
	"raw_bytes" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "profile_block_block_id_day_pk" PRIMARY KEY("block_id","day")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "span_block" (
	"day" integer NOT NULL,
	"block_id" bigint NOT NULL,
	"arrived" timestamp with time zone DEFAULT now() NOT NULL,
	"first_ns" bigint NOT NULL,
	"last_ns" bigint NOT NULL,
	"records" integer NOT NULL,
	"raw_bytes" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "span_block_block_id_day_pk" PRIMARY KEY("block_id","day")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "call" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "call_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"service" text NOT NULL,
	"peer" text NOT NULL,
	"protocol" text NOT NULL,
	"kind" smallint NOT NULL,
	"hash" "bytea" NOT NULL,
	CONSTRAINT "call_hash" UNIQUE("hash")
);
--> statement-breakpoint
CREATE TABLE "log_kind" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "log_kind_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"service" text NOT NULL,
	"severity" smallint NOT NULL,
	"event_name" text NOT NULL,
	"hash" "bytea" NOT NULL,
	CONSTRAINT "log_kind_hash" UNIQUE("hash")
);
--> statement-breakpoint
CREATE TABLE "operation" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "operation_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"service" text NOT NULL,
	"name" text NOT NULL,
	"kind" smallint NOT NULL,
	"hash" "bytea" NOT NULL,
	CONSTRAINT "operation_hash" UNIQUE("hash")
);
--> statement-breakpoint
CREATE TABLE "resource" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "resource_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"service" text NOT NULL,
	"attributes" jsonb NOT NULL,
	"hash" "bytea" NOT NULL,
	CONSTRAINT "resource_hash" UNIQUE("hash")
);
--> statement-breakpoint
CREATE TABLE "series" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "series_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"resource_id" integer NOT NULL,
	"service" text NOT NULL,
	"name" text NOT NULL,
	"unit" text NOT NULL,
	"type" text NOT NULL,
	"temporality" smallint NOT NULL,
	"monotonic" boolean NOT NULL,
	"attributes" jsonb NOT NULL,
	"hash" "bytea" NOT NULL,
	CONSTRAINT "series_hash" UNIQUE("hash")
);
--> statement-breakpoint
CREATE TABLE "change" (
	"day" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"service" text NOT NULL,
	"kind" text NOT NULL,
	"phase" text NOT NULL,
	"title" text NOT NULL,
	"version" text NOT NULL,
	"actor" text NOT NULL,
	"detail" jsonb NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "db_plan" (
	"day" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"service" text NOT NULL,
	"system" text NOT NULL,
	"server" text NOT NULL,
	"database" text NOT NULL,
	"statement_id" text NOT NULL,
	"plan_id" text NOT NULL,
	"plan" text NOT NULL,
	"total_cost" double precision NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "db_sample" (
	"day" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"service" text NOT NULL,
	"system" text NOT NULL,
	"server" text NOT NULL,
	"database" text NOT NULL,
	"session" text NOT NULL,
	"blocked_by" text[] NOT NULL,
	"user" text NOT NULL,
	"program" text NOT NULL,
	"client" text NOT NULL,
	"state" text NOT NULL,
	"wait_class" text NOT NULL,
	"wait_event" text NOT NULL,
	"statement" text NOT NULL,
	"statement_id" text NOT NULL,
	"trace_id" text NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "db_statement" (
	"day" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"service" text NOT NULL,
	"system" text NOT NULL,
	"server" text NOT NULL,
	"database" text NOT NULL,
	"statement_id" text NOT NULL,
	"statement" text NOT NULL,
	"calls" bigint NOT NULL,
	"total_ms" double precision NOT NULL,
	"rows" bigint NOT NULL,
	"blocks_hit" bigint NOT NULL,
	"blocks_read" bigint NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "in_flight" (
	"day" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"service" text NOT NULL,
	"trace_id" text NOT NULL,
	"operation" text NOT NULL,
	"step" text NOT NULL,
	"age_ms" double precision NOT NULL,
	"stack" text NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "inventory" (
	"day" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"service" text NOT NULL,
	"kind" text NOT NULL,
	"object_id" text NOT NULL,
	"name" text NOT NULL,
	"part_of" text NOT NULL,
	"gone" boolean NOT NULL,
	"specification" text NOT NULL,
	"detail" jsonb NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "visit" (
	"day" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"service" text NOT NULL,
	"session" text NOT NULL,
	"user_ref" text NOT NULL,
	"kind" text NOT NULL,
	"page" text NOT NULL,
	"name" text NOT NULL,
	"duration_ms" double precision,
	"trace_id" text NOT NULL,
	"order" integer NOT NULL,
	"detail" jsonb NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "log_minute" (
	"day" integer NOT NULL,
	"minute" integer NOT NULL,
	"key_id" integer NOT NULL,
	"records" bigint NOT NULL,
	"with_trace" bigint NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "log_trace" (
	"day" integer NOT NULL,
	"trace_id" "bytea" NOT NULL,
	"block_id" bigint NOT NULL,
	"records" integer NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "metric_point" (
	"day" integer NOT NULL,
	"series_id" integer NOT NULL,
	"time_ns" bigint NOT NULL,
	"start_ns" bigint,
	"value" double precision,
	"count" bigint,
	"point" "bytea"
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "profile" (
	"day" integer NOT NULL,
	"block_id" bigint NOT NULL,
	"place" smallint NOT NULL,
	"resource_id" integer NOT NULL,
	"service" text NOT NULL,
	"time_ns" bigint NOT NULL,
	"duration_ns" bigint NOT NULL,
	"type" text NOT NULL,
	"unit" text NOT NULL,
	"samples" integer NOT NULL,
	"total" bigint NOT NULL,
	"linked" integer NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "call_minute" (
	"day" integer NOT NULL,
	"minute" integer NOT NULL,
	"key_id" integer NOT NULL,
	"entry" boolean NOT NULL,
	"calls" bigint NOT NULL,
	"failures" bigint NOT NULL,
	"ok_ns" bigint NOT NULL,
	"failed_ns" bigint NOT NULL,
	"sketch" "bytea" NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "operation_minute" (
	"day" integer NOT NULL,
	"minute" integer NOT NULL,
	"key_id" integer NOT NULL,
	"entry" boolean NOT NULL,
	"calls" bigint NOT NULL,
	"failures" bigint NOT NULL,
	"ok_ns" bigint NOT NULL,
	"failed_ns" bigint NOT NULL,
	"sketch" "bytea" NOT NULL
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE TABLE "trace" (
	"day" integer NOT NULL,
	"trace_id" "bytea" NOT NULL,
	"start_ns" bigint NOT NULL,
	"span_count" integer NOT NULL,
	"failed_span_count" integer NOT NULL,
	"operation_ids" integer[] NOT NULL,
	"root_found" boolean NOT NULL,
	"root_start_ns" bigint NOT NULL,
	"root_span_id" "bytea" NOT NULL,
	"root_operation_id" integer NOT NULL,
	"root_failed" boolean NOT NULL,
	"duration_ns" bigint NOT NULL,
	"user_ref" text,
	"session_ref" text,
	"blocks" bigint[] NOT NULL,
	"span_keys" "bytea" NOT NULL,
	CONSTRAINT "trace_trace_id_day_pk" PRIMARY KEY("trace_id","day")
) PARTITION BY LIST (day);
--> statement-breakpoint
CREATE INDEX "intake_body_at" ON "intake_body" USING btree ("at");--> statement-breakpoint
CREATE INDEX "log_block_last" ON "log_block" USING btree ("last_ns");--> statement-breakpoint
CREATE INDEX "metric_block_last" ON "metric_block" USING btree ("last_ns");--> statement-breakpoint
CREATE INDEX "profile_block_last" ON "profile_block" USING btree ("last_ns");--> statement-breakpoint
CREATE INDEX "span_block_last" ON "span_block" USING btree ("last_ns");--> statement-breakpoint
CREATE INDEX "change_time" ON "change" USING btree ("time_ns");--> statement-breakpoint
CREATE INDEX "db_plan_id" ON "db_plan" USING btree ("statement_id","time_ns");--> statement-breakpoint
CREATE INDEX "db_sample_time" ON "db_sample" USING btree ("time_ns");--> statement-breakpoint
CREATE INDEX "db_sample_trace" ON "db_sample" USING btree ("trace_id");--> statement-breakpoint
CREATE INDEX "db_statement_id" ON "db_statement" USING btree ("statement_id","time_ns");--> statement-breakpoint
CREATE INDEX "in_flight_time" ON "in_flight" USING btree ("time_ns");--> statement-breakpoint
CREATE INDEX "inventory_object" ON "inventory" USING btree ("object_id","time_ns");--> statement-breakpoint
CREATE INDEX "visit_session" ON "visit" USING btree ("session","time_ns");--> statement-breakpoint
CREATE INDEX "visit_time" ON "visit" USING btree ("time_ns");--> statement-breakpoint
CREATE INDEX "log_minute_key" ON "log_minute" USING btree ("key_id","minute");--> statement-breakpoint
CREATE INDEX "log_minute_minute" ON "log_minute" USING btree ("minute");--> statement-breakpoint
CREATE INDEX "log_trace_id" ON "log_trace" USING btree ("trace_id");--> statement-breakpoint
CREATE INDEX "metric_point_series" ON "metric_point" USING btree ("series_id","time_ns");--> statement-breakpoint
CREATE INDEX "profile_time" ON "profile" USING btree ("service","time_ns");--> statement-breakpoint
CREATE INDEX "call_minute_key" ON "call_minute" USING btree ("key_id","minute");--> statement-breakpoint
CREATE INDEX "call_minute_minute" ON "call_minute" USING btree ("minute");--> statement-breakpoint
CREATE INDEX "operation_minute_key" ON "operation_minute" USING btree ("key_id","minute");--> statement-breakpoint
CREATE INDEX "operation_minute_minute" ON "operation_minute" USING btree ("minute");--> statement-breakpoint
CREATE INDEX "trace_start" ON "trace" USING btree ("start_ns");--> statement-breakpoint
-- Deflated already.
ALTER TABLE "span_block" ALTER COLUMN "data" SET STORAGE EXTERNAL;
--> statement-breakpoint
-- Deflated already.
ALTER TABLE "log_block" ALTER COLUMN "data" SET STORAGE EXTERNAL;
--> statement-breakpoint
-- Deflated already.
ALTER TABLE "metric_block" ALTER COLUMN "data" SET STORAGE EXTERNAL;
--> statement-breakpoint
-- Deflated already.
ALTER TABLE "profile_block" ALTER COLUMN "data" SET STORAGE EXTERNAL;
