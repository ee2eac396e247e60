-- The tables of account-db, of sizes at which plans matter.
CREATE TABLE account (
  id int PRIMARY KEY,
  handle text NOT NULL CONSTRAINT account_handle_key UNIQUE,
  secret_hash text NOT NULL,
  locked_until timestamptz
);
INSERT INTO account
SELECT g, 'traveller-' || g, md5(g::text), CASE WHEN g % 400 = 0 THEN now() + interval '1 hour' END FROM generate_series(1, 200000) g;

CREATE TABLE session (
  token_hash text PRIMARY KEY,
  user_id int NOT NULL REFERENCES account,
  expires_at timestamptz NOT NULL,
  scopes text[] NOT NULL DEFAULT '{}'
);
INSERT INTO session
SELECT md5('token ' || g), 1 + (hashint4(g) & 131071), now() - interval '60 days' + g * interval '9 seconds', '{book,read}' FROM generate_series(1, 600000) g;
