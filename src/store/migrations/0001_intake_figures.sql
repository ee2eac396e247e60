CREATE TABLE "intake_minute" (
	"minute" integer NOT NULL,
	"signal" text NOT NULL,
	"reason" text NOT NULL,
	"requests" bigint NOT NULL,
	"records" bigint NOT NULL,
	"repeated" bigint NOT NULL,
	"bytes" bigint NOT NULL,
	"masked" bigint NOT NULL,
	"busy_ms" bigint NOT NULL,
	"slowest_ms" bigint NOT NULL,
	CONSTRAINT "intake_minute_minute_signal_reason_pk" PRIMARY KEY("minute","signal","reason")
);
--> statement-breakpoint
CREATE TABLE "sender" (
	"signal" text NOT NULL,
	"service" text NOT NULL,
	"version" text NOT NULL,
	"sdk" text NOT NULL,
	"instance" text NOT NULL,
	"first" timestamp with time zone NOT NULL,
	"last" timestamp with time zone NOT NULL,
	"records" bigint NOT NULL,
	"with_trace" bigint NOT NULL,
	"ahead_ms" bigint NOT NULL,
	CONSTRAINT "sender_signal_service_version_sdk_instance_pk" PRIMARY KEY("signal","service","version","sdk","instance")
);
--> statement-breakpoint
CREATE TABLE "setting" (
	"name" text PRIMARY KEY NOT NULL,
	"value" jsonb NOT NULL
);
