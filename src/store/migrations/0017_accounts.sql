CREATE TABLE "account_credential" (
	"id" text PRIMARY KEY NOT NULL,
	"account_id" text NOT NULL,
	"provider_id" text NOT NULL,
	"user_id" text NOT NULL,
	"access_token" text,
	"refresh_token" text,
	"id_token" text,
	"access_token_expires_at" timestamp with time zone,
	"refresh_token_expires_at" timestamp with time zone,
	"scope" text,
	"password" text,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "account_invitation" (
	"token_hash" text PRIMARY KEY NOT NULL,
	"email" text NOT NULL,
	"role" text NOT NULL,
	"user_id" text,
	"by" text NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"expires_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "account_session" (
	"id" text PRIMARY KEY NOT NULL,
	"expires_at" timestamp with time zone NOT NULL,
	"token" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL,
	"ip_address" text,
	"user_agent" text,
	"user_id" text NOT NULL,
	CONSTRAINT "account_session_token_unique" UNIQUE("token")
);
--> statement-breakpoint
CREATE TABLE "account_two_factor" (
	"id" text PRIMARY KEY NOT NULL,
	"secret" text NOT NULL,
	"backup_codes" text NOT NULL,
	"user_id" text NOT NULL,
	"verified" boolean DEFAULT true,
	"failed_verification_count" integer DEFAULT 0,
	"locked_until" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "account_user" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"email" text NOT NULL,
	"email_verified" boolean DEFAULT false NOT NULL,
	"image" text,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL,
	"two_factor_enabled" boolean DEFAULT false,
	"role" text DEFAULT 'reader' NOT NULL,
	"disabled_at" timestamp with time zone,
	CONSTRAINT "account_user_email_unique" UNIQUE("email")
);
--> statement-breakpoint
CREATE TABLE "account_verification" (
	"id" text PRIMARY KEY NOT NULL,
	"identifier" text NOT NULL,
	"value" text NOT NULL,
	"expires_at" timestamp with time zone NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "audit_entry" (
	"id" bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "audit_entry_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 9223372036854775807 START WITH 1 CACHE 1),
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"user_id" text NOT NULL,
	"by" text NOT NULL,
	"address" text NOT NULL,
	"action" text NOT NULL,
	"about" jsonb NOT NULL,
	"status" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "program_token" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "program_token_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"user_id" text NOT NULL,
	"name" text NOT NULL,
	"prefix" text NOT NULL,
	"token_hash" text NOT NULL,
	"role" text NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"expires_at" timestamp with time zone,
	"last_used" timestamp with time zone,
	CONSTRAINT "program_token_token_hash_unique" UNIQUE("token_hash")
);
--> statement-breakpoint
CREATE TABLE "sender_token" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "sender_token_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"name" text NOT NULL,
	"prefix" text NOT NULL,
	"token_hash" text NOT NULL,
	"environment" text,
	"signals" text[] NOT NULL,
	"bytes_per_minute" bigint,
	"records_per_minute" bigint,
	"by" text NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"expires_at" timestamp with time zone,
	"last_used" timestamp with time zone,
	"refused" bigint DEFAULT 0 NOT NULL,
	CONSTRAINT "sender_token_token_hash_unique" UNIQUE("token_hash")
);
--> statement-breakpoint
CREATE INDEX "account_credential_user" ON "account_credential" USING btree ("user_id");--> statement-breakpoint
CREATE INDEX "account_session_user" ON "account_session" USING btree ("user_id");--> statement-breakpoint
CREATE INDEX "account_two_factor_user" ON "account_two_factor" USING btree ("user_id");--> statement-breakpoint
CREATE INDEX "account_verification_identifier" ON "account_verification" USING btree ("identifier");--> statement-breakpoint
CREATE INDEX "audit_entry_at" ON "audit_entry" USING btree ("at");--> statement-breakpoint
CREATE INDEX "program_token_user" ON "program_token" USING btree ("user_id");--> statement-breakpoint
CREATE FUNCTION audit_is_append_only() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'the record of what was done is only added to'; END $$;--> statement-breakpoint
CREATE TRIGGER audit_entry_append_only BEFORE UPDATE OR DELETE OR TRUNCATE ON "audit_entry" FOR EACH STATEMENT EXECUTE FUNCTION audit_is_append_only();
