ALTER TABLE "call_minute" RENAME COLUMN "mistakes" TO "client_errors";--> statement-breakpoint
ALTER TABLE "operation_minute" RENAME COLUMN "mistakes" TO "client_errors";--> statement-breakpoint
ALTER TABLE "instance_minute" RENAME COLUMN "mistakes" TO "client_errors";--> statement-breakpoint
ALTER TABLE "link_minute" RENAME COLUMN "mistakes" TO "client_errors";--> statement-breakpoint
ALTER TABLE "link" RENAME TO "call_edge";--> statement-breakpoint
DO $$
DECLARE part text;
BEGIN
  FOR part IN SELECT child.relname FROM pg_inherits JOIN pg_class child ON child.oid = inhrelid
    JOIN pg_class parent ON parent.oid = inhparent WHERE parent.relname = 'link_minute'
  LOOP
    EXECUTE format('ALTER TABLE %I RENAME TO %I', part, replace(part, 'link_minute', 'call_edge_minute'));
  END LOOP;
END $$;--> statement-breakpoint
ALTER TABLE "link_minute" RENAME TO "call_edge_minute";--> statement-breakpoint
ALTER TABLE "trace" RENAME COLUMN "open_ends" TO "unmatched_calls";
