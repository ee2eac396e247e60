CREATE TABLE "watched" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "watched_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"kind" text NOT NULL,
	"owner" text NOT NULL,
	"name" text NOT NULL,
	"hash" "bytea" NOT NULL,
	CONSTRAINT "watched_hash" UNIQUE("hash")
);
--> statement-breakpoint
INSERT INTO "watched" ("kind", "owner", "name", "hash")
  SELECT 'page', service, substr(name, 6), decode(md5('page'::bytea || '\x00'::bytea || convert_to(service, 'UTF8') || '\x00'::bytea || convert_to(substr(name, 6), 'UTF8')), 'hex') FROM "operation" WHERE kind = 100;
--> statement-breakpoint
UPDATE "incident" SET "shifts" = (
  SELECT coalesce(jsonb_agg((one - 'operationId') || jsonb_build_object('series', coalesce('page:' || watched.id, 'operation:' || (one ->> 'operationId')))), '[]')
  FROM jsonb_array_elements("shifts") AS one
  LEFT JOIN "operation" ON operation.id = (one ->> 'operationId')::int AND operation.kind = 100
  LEFT JOIN "watched" ON watched.owner = operation.service AND watched.name = substr(operation.name, 6)
);
--> statement-breakpoint
DELETE FROM "operation" WHERE kind = 100;
