-- The tables of sailing-db, of sizes at which plans matter. The index sailing_route_departs_at_idx is missing, as migration 214 left it.
CREATE TABLE vessel (
  id int PRIMARY KEY,
  name text NOT NULL,
  car_lanes int NOT NULL,
  passenger_places int NOT NULL
);
INSERT INTO vessel SELECT g, 'MV Osier ' || g, 4 + g % 9, 200 + 37 * (g % 12) FROM generate_series(1, 48) g;

CREATE TABLE sailing (
  id int PRIMARY KEY,
  route text NOT NULL,
  departs_at timestamptz NOT NULL,
  arrives_at timestamptz NOT NULL,
  vessel_id int NOT NULL REFERENCES vessel,
  state text NOT NULL
);
INSERT INTO sailing
SELECT g,
  (ARRAY['marram-fennick', 'tern-saltern', 'little-auk-tern', 'saltern-marram', 'fennick-auk', 'heron-reach', 'reach-ness', 'ness-saltern'])[1 + (hashint4(g) & 7)],
  timestamptz '2025-01-01 04:00+00' + g * interval '55 seconds',
  timestamptz '2025-01-01 04:00+00' + g * interval '55 seconds' + interval '70 minutes',
  1 + (hashint4(g * 7) & 31),
  CASE WHEN g % 50 = 0 THEN 'cancelled' ELSE 'planned' END
FROM generate_series(1, 1200000) g;

CREATE TABLE sailing_occupancy (
  id int PRIMARY KEY,
  sailing_id int NOT NULL REFERENCES sailing,
  route text NOT NULL,
  departs_at timestamptz NOT NULL,
  vehicle_class text NOT NULL,
  taken int NOT NULL
);
ALTER TABLE sailing_occupancy DISABLE TRIGGER USER;
INSERT INTO sailing_occupancy
SELECT 3 * s.id + c, s.id, s.route, s.departs_at, (ARRAY['car', 'van', 'coach'])[c + 1], 3 + (hashint4(s.id * 3 + c) & 63)
FROM sailing s CROSS JOIN generate_series(0, 2) c WHERE s.id % 8 = 0;
CREATE INDEX sailing_occupancy_sailing_id_idx ON sailing_occupancy (sailing_id);

CREATE TABLE deck_slot (
  sailing_id int NOT NULL,
  slot int NOT NULL,
  lane int NOT NULL,
  height_cm int NOT NULL,
  taken_by text,
  PRIMARY KEY (sailing_id, slot)
);
INSERT INTO deck_slot
SELECT 1190000 + s, g, 1 + g % 12, 190 + 10 * (g % 8), CASE WHEN (g * s) % 3 = 0 THEN 'OR' || s * 1000 + g END
FROM generate_series(1, 1200) s CROSS JOIN generate_series(1, 420) g;
