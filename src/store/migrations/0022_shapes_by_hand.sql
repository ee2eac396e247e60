ALTER TABLE "log_shape" ADD COLUMN "joined_to" text;--> statement-breakpoint
ALTER TABLE "log_shape" ADD COLUMN "apart_of" text;