CREATE TABLE "instance" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "instance_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"service" text NOT NULL,
	"instance" text NOT NULL,
	"version" text NOT NULL,
	"host" text NOT NULL,
	"namespace" text NOT NULL,
	"hash" "bytea" NOT NULL,
	CONSTRAINT "instance_hash" UNIQUE("hash")
);
--> statement-breakpoint
CREATE TABLE "link" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "link_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"call_id" integer NOT NULL,
	"service" text NOT NULL,
	"side" text NOT NULL,
	"hash" "bytea" NOT NULL,
	CONSTRAINT "link_hash" UNIQUE("hash")
);
--> statement-breakpoint
CREATE TABLE "instance_minute" (
	"day" integer NOT NULL,
	"minute" integer NOT NULL,
	"key_id" integer NOT NULL,
	"entry" boolean NOT NULL,
	"calls" bigint NOT NULL,
	"failures" bigint NOT NULL,
	"mistakes" bigint DEFAULT 0 NOT NULL,
	"ok_ns" bigint NOT NULL,
	"failed_ns" bigint NOT NULL,
	"sketch" "bytea" NOT NULL
) PARTITION BY LIST ("day");
--> statement-breakpoint
CREATE TABLE "link_minute" (
	"day" integer NOT NULL,
	"minute" integer NOT NULL,
	"key_id" integer NOT NULL,
	"entry" boolean NOT NULL,
	"calls" bigint NOT NULL,
	"failures" bigint NOT NULL,
	"mistakes" bigint DEFAULT 0 NOT NULL,
	"ok_ns" bigint NOT NULL,
	"failed_ns" bigint NOT NULL,
	"sketch" "bytea" NOT NULL
) PARTITION BY LIST ("day");
--> statement-breakpoint
ALTER TABLE "call_minute" ADD COLUMN "mistakes" bigint DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "operation_minute" ADD COLUMN "mistakes" bigint DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "trace" ADD COLUMN "open_ends" "bytea" DEFAULT '\x'::bytea NOT NULL;--> statement-breakpoint
CREATE INDEX "instance_service" ON "instance" USING btree ("service");--> statement-breakpoint
CREATE INDEX "instance_minute_key" ON "instance_minute" USING btree ("key_id","minute");--> statement-breakpoint
CREATE INDEX "instance_minute_minute" ON "instance_minute" USING btree ("minute");--> statement-breakpoint
CREATE INDEX "link_minute_key" ON "link_minute" USING btree ("key_id","minute");--> statement-breakpoint
CREATE INDEX "link_minute_minute" ON "link_minute" USING btree ("minute");