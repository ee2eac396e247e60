CREATE TABLE "source_map" (
	"app" text NOT NULL,
	"release" text NOT NULL,
	"file" text NOT NULL,
	"stored" timestamp with time zone DEFAULT now() NOT NULL,
	"size" integer NOT NULL,
	"map" "bytea" NOT NULL,
	CONSTRAINT "source_map_app_release_file_pk" PRIMARY KEY("app","release","file")
);
--> statement-breakpoint
CREATE INDEX "source_map_stored" ON "source_map" USING btree ("stored");--> statement-breakpoint
-- Deflated already.
ALTER TABLE "source_map" ALTER COLUMN "map" SET STORAGE EXTERNAL;
