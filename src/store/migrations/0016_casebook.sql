CREATE TABLE "casebook_case" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "casebook_case_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"doc" "bytea" NOT NULL,
	"content" jsonb NOT NULL,
	"sequence" integer DEFAULT 0 NOT NULL,
	"created" timestamp with time zone DEFAULT now() NOT NULL,
	"changed" timestamp with time zone DEFAULT now() NOT NULL,
	"deleted" timestamp with time zone,
	"worked" jsonb,
	"worked_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "casebook_change" (
	"case_id" integer NOT NULL,
	"sequence" integer NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"origin" text NOT NULL,
	"body" "bytea" NOT NULL,
	CONSTRAINT "casebook_change_case_id_sequence_pk" PRIMARY KEY("case_id","sequence")
);
--> statement-breakpoint
CREATE TABLE "casebook_pin" (
	"id" text PRIMARY KEY NOT NULL,
	"case_id" integer NOT NULL,
	"kind" text NOT NULL,
	"title" text NOT NULL,
	"at" bigint NOT NULL,
	"by" text NOT NULL,
	"scope" jsonb NOT NULL,
	"path" text NOT NULL,
	"asked" jsonb NOT NULL,
	"evidence" jsonb NOT NULL,
	"about" jsonb NOT NULL,
	"raw" "bytea" NOT NULL,
	"raw_bytes" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "casebook_share" (
	"token" text PRIMARY KEY NOT NULL,
	"case_id" integer NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"by" text NOT NULL,
	"hand_over" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "casebook_step" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "casebook_step_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"case_id" integer NOT NULL,
	"at" bigint NOT NULL,
	"by" text NOT NULL,
	"path" text NOT NULL,
	"title" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "casebook_version" (
	"case_id" integer NOT NULL,
	"sequence" integer NOT NULL,
	"begun" timestamp with time zone NOT NULL,
	"ended" timestamp with time zone NOT NULL,
	"by" text NOT NULL,
	"words" text NOT NULL,
	"content" jsonb NOT NULL,
	CONSTRAINT "casebook_version_case_id_sequence_pk" PRIMARY KEY("case_id","sequence")
);
--> statement-breakpoint
CREATE INDEX "casebook_changed" ON "casebook_case" USING btree ("changed");--> statement-breakpoint
CREATE INDEX "casebook_pin_case" ON "casebook_pin" USING btree ("case_id");--> statement-breakpoint
CREATE INDEX "casebook_share_case" ON "casebook_share" USING btree ("case_id");--> statement-breakpoint
CREATE INDEX "casebook_step_case" ON "casebook_step" USING btree ("case_id","id");