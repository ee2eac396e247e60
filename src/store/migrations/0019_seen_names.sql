ALTER TABLE "call" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;--> statement-breakpoint
ALTER TABLE "call_edge" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;--> statement-breakpoint
ALTER TABLE "facet" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;--> statement-breakpoint
ALTER TABLE "instance" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;--> statement-breakpoint
ALTER TABLE "log_kind" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;--> statement-breakpoint
ALTER TABLE "operation" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;--> statement-breakpoint
ALTER TABLE "resource" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;--> statement-breakpoint
ALTER TABLE "series" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;--> statement-breakpoint
ALTER TABLE "stack_text" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;--> statement-breakpoint
ALTER TABLE "statement_text" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;--> statement-breakpoint
ALTER TABLE "watched" ADD COLUMN "seen" integer DEFAULT floor(extract(epoch from now()) / 86400)::integer NOT NULL;