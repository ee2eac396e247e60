CREATE TABLE "plan_trial" (
	"id" text PRIMARY KEY NOT NULL,
	"server" text NOT NULL,
	"statement_id" text NOT NULL,
	"begun" timestamp with time zone NOT NULL,
	"trial" jsonb NOT NULL
);
--> statement-breakpoint
CREATE INDEX "plan_trial_begun" ON "plan_trial" USING btree ("begun");