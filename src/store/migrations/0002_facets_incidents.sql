CREATE TABLE "facet" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "facet_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"key" text NOT NULL,
	"value" text NOT NULL,
	"hash" "bytea" NOT NULL,
	CONSTRAINT "facet_hash" UNIQUE("hash")
);
--> statement-breakpoint
CREATE TABLE "incident" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "incident_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"source" text NOT NULL,
	"rule_id" text NOT NULL,
	"first_minute" integer NOT NULL,
	"last_minute" integer NOT NULL,
	"found_minute" integer NOT NULL,
	"shifts" jsonb NOT NULL,
	"acknowledged" timestamp with time zone,
	"muted_until" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "notification" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "notification_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"incident_id" integer NOT NULL,
	"channel" text NOT NULL,
	"recipient" text NOT NULL,
	"subject" text NOT NULL,
	"body" text NOT NULL,
	"link" text NOT NULL,
	"attempts" bigint NOT NULL
);
--> statement-breakpoint
ALTER TABLE "trace" ADD COLUMN "facet_ids" integer[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
CREATE INDEX "facet_key" ON "facet" USING btree ("key");--> statement-breakpoint
CREATE INDEX "incident_last" ON "incident" USING btree ("last_minute");