CREATE TABLE "time_note" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "time_note_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"at_ms" bigint NOT NULL,
	"made_ms" bigint NOT NULL,
	"text" text NOT NULL,
	"written_by" text NOT NULL,
	"path" text NOT NULL
);
