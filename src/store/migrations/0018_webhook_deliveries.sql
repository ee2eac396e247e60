CREATE TABLE "webhook_delivery" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "webhook_delivery_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"incident_id" integer NOT NULL,
	"body" text NOT NULL,
	"attempts" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"next_at" timestamp with time zone DEFAULT now() NOT NULL,
	"ended" timestamp with time zone
);
