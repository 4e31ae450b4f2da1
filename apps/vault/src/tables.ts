/** The vault's first tables, in their own schema. */
export const FIRST = `
CREATE SCHEMA IF NOT EXISTS vault;
CREATE TABLE vault.files (
  id serial PRIMARY KEY,
  path text NOT NULL UNIQUE,
  state text NOT NULL DEFAULT 'open' CHECK (state IN ('open','in check','released')),
  checked_out_by text,
  record jsonb NOT NULL DEFAULT '{}'
);
CREATE TABLE vault.versions (
  file_id int NOT NULL REFERENCES vault.files,
  version int NOT NULL,
  content bytea NOT NULL,
  hash text NOT NULL,
  comment text NOT NULL,
  by text NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (file_id, version)
);
CREATE TABLE vault.fields (name text PRIMARY KEY, position serial);
CREATE TABLE vault.link_table (field text NOT NULL, kind text NOT NULL, name text NOT NULL, PRIMARY KEY (field, kind));
`;

/** Folders, kinds, revisions, authors, field definitions and workflow steps. */
export const SECOND = `
CREATE TABLE vault.folders (path text PRIMARY KEY);
ALTER TABLE vault.files
  ADD COLUMN kind text NOT NULL DEFAULT 'document',
  ADD COLUMN class text,
  ADD COLUMN revision text NOT NULL DEFAULT 'A',
  ADD COLUMN state_by text NOT NULL DEFAULT 'vault',
  ADD COLUMN state_at timestamptz NOT NULL DEFAULT now(),
  ADD COLUMN checked_out_at timestamptz;
UPDATE vault.files SET kind = CASE WHEN path ILIKE '%.dxf' THEN 'drawing' WHEN path ILIKE '%assembl%.st%p' THEN 'assembly' WHEN path ILIKE '%.st%p' THEN 'part' ELSE 'document' END;
ALTER TABLE vault.fields
  ADD COLUMN type text NOT NULL DEFAULT 'text',
  ADD COLUMN length int,
  ADD COLUMN choices jsonb NOT NULL DEFAULT '[]',
  ADD COLUMN initial text,
  ADD COLUMN required boolean NOT NULL DEFAULT false,
  ADD COLUMN kinds jsonb NOT NULL DEFAULT '[]',
  ADD COLUMN classes jsonb NOT NULL DEFAULT '[]',
  ADD COLUMN fixed boolean NOT NULL DEFAULT false,
  ADD COLUMN retired boolean NOT NULL DEFAULT false;
CREATE TABLE vault.steps (
  name text PRIMARY KEY,
  position serial,
  from_state text NOT NULL,
  to_state text NOT NULL,
  sets jsonb NOT NULL DEFAULT '{}',
  next_revision boolean NOT NULL DEFAULT false
);
INSERT INTO vault.steps (name, from_state, to_state, next_revision) VALUES
  ('submit', 'open', 'in check', false),
  ('return', 'in check', 'open', false),
  ('release', 'in check', 'released', false),
  ('revise', 'released', 'open', true);
`;

/** An entry with its newest version and hash; system fields are part of its record. */
export const ENTRY = `SELECT f.id, f.path, f.kind, f.class, f.state, f.state_by AS "stateBy", f.state_at AS "stateAt", f.checked_out_by AS "checkedOutBy",
    f.checked_out_at AS "checkedOutAt", v.version, v.hash, v.at AS "versionAt", v.by AS "versionBy",
    f.record || jsonb_strip_nulls(jsonb_build_object('Record number', 'R-' || lpad(f.id::text, 6, '0'), 'State', f.state, 'Checked out by', f.checked_out_by, 'Revision', f.revision)) AS record
  FROM vault.files f CROSS JOIN LATERAL (SELECT version, hash, at, by FROM vault.versions v WHERE v.file_id = f.id ORDER BY version DESC LIMIT 1) v`;

/** Search by paths, text, folder and state. */
export const SEARCH = `${ENTRY}
  WHERE ($1::text[] IS NULL OR f.path = ANY($1::text[]))
    AND ($2::text IS NULL OR strpos(lower(f.path), lower($2)) > 0
      OR EXISTS (SELECT 1 FROM jsonb_each_text(f.record) AS r WHERE strpos(lower(r.value), lower($2)) > 0))
    AND ($3::text IS NULL OR starts_with(f.path, $3 || '/'))
    AND ($4::text IS NULL OR f.state = $4)
  ORDER BY f.path`;

/** Folders, including empty ones, with direct file counts. */
export const FOLDERS = `
  WITH RECURSIVE named AS (
    SELECT path FROM vault.folders UNION SELECT left(path, length(path) - strpos(reverse(path), '/')) FROM vault.files WHERE path LIKE '%/%'
  ), above AS (
    SELECT path FROM named UNION SELECT left(path, length(path) - strpos(reverse(path), '/')) FROM above WHERE path LIKE '%/%'
  )
  SELECT a.path, count(f.id)::int AS files FROM above a
  LEFT JOIN vault.files f ON starts_with(f.path, a.path || '/') AND strpos(substr(f.path, length(a.path) + 2), '/') = 0
  GROUP BY a.path ORDER BY a.path`;

/** Record fields in order. */
export const FIELDS = `SELECT name, type, length, choices, initial, required, kinds, classes, fixed, retired FROM vault.fields ORDER BY position`;
