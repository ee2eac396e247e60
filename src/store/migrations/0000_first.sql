CREATE TABLE "intake_body" (
	"hash" "bytea" PRIMARY KEY NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"accepted" integer NOT NULL,
	"rejected" integer NOT NULL,
	"message" text NOT NULL
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
CREATE TABLE "reporter" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "reporter_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"hash" "bytea" NOT NULL,
	"resource" jsonb NOT NULL,
	"scope_name" text NOT NULL,
	"scope_version" text NOT NULL,
	CONSTRAINT "reporter_hash" UNIQUE("hash")
);
--> statement-breakpoint
CREATE TABLE "span" (
	"trace_id" "bytea" NOT NULL,
	"span_id" "bytea" NOT NULL,
	"parent_span_id" "bytea",
	"start_ns" bigint NOT NULL,
	"duration_ns" bigint NOT NULL,
	"operation_id" integer NOT NULL,
	"reporter_id" integer NOT NULL,
	"status" smallint NOT NULL,
	"status_message" text NOT NULL,
	"trace_state" text NOT NULL,
	"attributes" jsonb NOT NULL,
	"events" jsonb,
	"links" jsonb,
	CONSTRAINT "span_trace_id_span_id_pk" PRIMARY KEY("trace_id","span_id")
);
--> statement-breakpoint
CREATE TABLE "trace" (
	"trace_id" "bytea" PRIMARY KEY NOT NULL,
	"start_ns" bigint NOT NULL,
	"span_count" integer NOT NULL,
	"failed_span_count" integer NOT NULL,
	"operation_ids" integer[] NOT NULL,
	"root_found" boolean NOT NULL,
	"root_start_ns" bigint NOT NULL,
	"root_span_id" "bytea" NOT NULL,
	"root_operation_id" integer NOT NULL,
	"root_failed" boolean NOT NULL,
	"duration_ns" bigint NOT NULL
);
--> statement-breakpoint
CREATE INDEX "trace_start" ON "trace" USING btree ("start_ns");--> statement-breakpoint
CREATE INDEX "trace_duration" ON "trace" USING btree ("duration_ns","trace_id");