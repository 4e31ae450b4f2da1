import { QueryTypes, Sequelize } from 'sequelize';
import { Umzug, UmzugStorage } from 'umzug';
import { LOCKS, TAKE_LOCK } from './locks';

/** All changes of the database layout, in order. Never edit a migration that has run anywhere. */
const MIGRATIONS: readonly { readonly name: string; readonly up: string }[] = [
  {
    name: '0001-first',
    up: `
CREATE TABLE users (
  id serial PRIMARY KEY,
  name text NOT NULL UNIQUE,
  display_name text NOT NULL,
  role text NOT NULL CHECK (role IN ('viewer','checker','editor','administrator')),
  password_hash text NOT NULL
);
CREATE TABLE session (sid varchar PRIMARY KEY, sess json NOT NULL, expire timestamp(6) NOT NULL);
CREATE INDEX session_expire ON session (expire);
CREATE TABLE settings (key text PRIMARY KEY, value jsonb NOT NULL);

CREATE TABLE libraries (id serial PRIMARY KEY, name text NOT NULL UNIQUE, root text NOT NULL UNIQUE, surveyed_at timestamptz);
CREATE TABLE files (
  id serial PRIMARY KEY,
  library_id int NOT NULL REFERENCES libraries,
  path text NOT NULL,
  folder text NOT NULL,
  name text NOT NULL,
  kind text NOT NULL,
  format text NOT NULL,
  size bigint NOT NULL,
  mtime_ms double precision NOT NULL,
  hash text NOT NULL,
  problem text,
  lock_reason text,
  removed boolean NOT NULL DEFAULT false,
  product_id text NOT NULL DEFAULT '',
  model_match jsonb,
  model_file_id int REFERENCES files,
  settled_model_id int REFERENCES files,
  reading jsonb,
  UNIQUE (library_id, path)
);
CREATE INDEX files_folder ON files (folder, kind) WHERE NOT removed;
CREATE INDEX files_name ON files (name);
CREATE INDEX files_path ON files (path);
CREATE INDEX files_model ON files (model_file_id);

CREATE TABLE holders (
  file_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  key text NOT NULL,
  level text NOT NULL,
  label text NOT NULL,
  PRIMARY KEY (file_id, key)
);
CREATE TABLE held_values (
  file_id int NOT NULL,
  holder text NOT NULL,
  place text NOT NULL,
  name text NOT NULL,
  kind text NOT NULL,
  text text NOT NULL,
  form text NOT NULL,
  unit text,
  number double precision,
  PRIMARY KEY (file_id, holder, place, name),
  FOREIGN KEY (file_id, holder) REFERENCES holders ON DELETE CASCADE
);
CREATE INDEX held_values_name ON held_values (place, name, left(text, 100), file_id);

CREATE TABLE settled_parts (product_id text NOT NULL, product_name text NOT NULL, file_id int NOT NULL REFERENCES files, PRIMARY KEY (product_id, product_name));
CREATE TABLE copies (
  assembly_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  product text NOT NULL,
  match jsonb NOT NULL,
  part_id int REFERENCES files,
  PRIMARY KEY (assembly_id, product)
);

CREATE TABLE properties (
  id serial PRIMARY KEY,
  "writtenName" text NOT NULL UNIQUE,
  caption text NOT NULL,
  help text NOT NULL,
  type text NOT NULL,
  unit text,
  decimals int,
  kinds text[] NOT NULL,
  feed text NOT NULL,
  "fileField" text,
  required boolean NOT NULL,
  "minLength" int,
  "maxLength" int,
  min double precision,
  max double precision,
  choices text[] NOT NULL,
  placeholder text NOT NULL,
  retired boolean NOT NULL DEFAULT false
);

CREATE TABLE bindings (
  block text NOT NULL,
  tag text NOT NULL,
  property_id int NOT NULL REFERENCES properties,
  source text NOT NULL,
  format text NOT NULL,
  PRIMARY KEY (block, tag)
);
CREATE TABLE bom_layouts (id serial PRIMARY KEY, name text NOT NULL UNIQUE, columns int[] NOT NULL);
CREATE TABLE links (
  id serial PRIMARY KEY,
  field text NOT NULL,
  kind text NOT NULL,
  place text NOT NULL,
  name text NOT NULL,
  "in" text NOT NULL,
  "out" text NOT NULL,
  "onClash" text NOT NULL,
  UNIQUE (field, kind)
);
CREATE TABLE agreed_values (
  link_id int NOT NULL REFERENCES links ON DELETE CASCADE,
  file_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  value text,
  at timestamptz NOT NULL,
  PRIMARY KEY (link_id, file_id)
);

CREATE TABLE change_sets (
  id serial PRIMARY KEY,
  title text NOT NULL,
  user_id int NOT NULL REFERENCES users,
  state text NOT NULL CHECK (state IN ('pending','applying','applied','partly applied','put back')),
  mode text NOT NULL DEFAULT 'whole',
  at timestamptz NOT NULL,
  from_tray boolean NOT NULL DEFAULT false,
  revert_of int REFERENCES change_sets,
  reverted_by int REFERENCES change_sets
);
CREATE UNIQUE INDEX one_tray_each ON change_sets (user_id) WHERE state = 'pending';
CREATE TABLE change_lines (
  id serial PRIMARY KEY,
  change_set_id int NOT NULL REFERENCES change_sets,
  file_id int NOT NULL REFERENCES files,
  holder text NOT NULL,
  place text NOT NULL,
  name text NOT NULL,
  base jsonb,
  proposed jsonb,
  reason text NOT NULL,
  follows boolean NOT NULL DEFAULT false,
  accepted boolean NOT NULL DEFAULT true,
  state text NOT NULL DEFAULT 'pending',
  message text,
  UNIQUE (change_set_id, file_id, holder, place, name)
);
CREATE INDEX change_lines_file ON change_lines (file_id);
CREATE TABLE journal (
  change_set_id int NOT NULL REFERENCES change_sets,
  file_id int NOT NULL REFERENCES files,
  target text NOT NULL,
  old_hash text NOT NULL,
  new_hash text NOT NULL,
  state text NOT NULL CHECK (state IN ('planned','staged','swapping','swapped','done','put back')),
  PRIMARY KEY (change_set_id, file_id)
);

CREATE TABLE send_outs (
  id serial PRIMARY KEY,
  user_id int NOT NULL REFERENCES users,
  at timestamptz NOT NULL,
  format text NOT NULL,
  filter jsonb NOT NULL,
  properties int[] NOT NULL,
  files int NOT NULL DEFAULT 0,
  taken_back_at timestamptz
);
CREATE TABLE send_out_cells (
  send_out_id int NOT NULL REFERENCES send_outs ON DELETE CASCADE,
  file_id int NOT NULL,
  property_id int NOT NULL,
  text text NOT NULL,
  form text NOT NULL,
  unit text,
  PRIMARY KEY (send_out_id, file_id, property_id)
);
CREATE TABLE send_out_files (send_out_id int NOT NULL REFERENCES send_outs ON DELETE CASCADE, file_id int NOT NULL, PRIMARY KEY (send_out_id, file_id));
CREATE TABLE take_backs (
  id serial PRIMARY KEY,
  user_id int NOT NULL REFERENCES users,
  at timestamptz NOT NULL,
  name text NOT NULL,
  counts jsonb NOT NULL,
  issues jsonb NOT NULL,
  note text
);
CREATE TABLE take_back_cells (
  id serial PRIMARY KEY,
  take_back_id int NOT NULL REFERENCES take_backs ON DELETE CASCADE,
  row int NOT NULL,
  file_id int NOT NULL,
  property_id int NOT NULL,
  verdict text NOT NULL,
  base jsonb,
  current jsonb,
  proposed jsonb,
  text text NOT NULL,
  message text NOT NULL,
  outcome text
);
CREATE INDEX take_back_cells_set ON take_back_cells (take_back_id);
`,
  },
  {
    name: '0002-survey',
    up: `
ALTER TABLE held_values DROP CONSTRAINT held_values_file_id_holder_fkey;
ALTER TABLE held_values ADD COLUMN level text NOT NULL DEFAULT 'document', ADD COLUMN stand_in boolean NOT NULL DEFAULT false;
UPDATE held_values v SET level = h.level FROM holders h WHERE h.file_id = v.file_id AND h.key = v.holder;
ALTER TABLE libraries ADD COLUMN kind text NOT NULL DEFAULT 'folder' CHECK (kind IN ('folder','upload'));

CREATE TABLE classes (
  id serial PRIMARY KEY,
  name text NOT NULL UNIQUE,
  position int NOT NULL,
  clauses jsonb NOT NULL,
  stated_mass boolean NOT NULL DEFAULT false
);
ALTER TABLE files ADD COLUMN class_id int REFERENCES classes ON DELETE SET NULL;
CREATE INDEX files_hash ON files (hash);
CREATE INDEX files_lower_path ON files (library_id, lower(path));
CREATE TABLE beside_values (
  file_id int NOT NULL REFERENCES files,
  name text NOT NULL,
  text text NOT NULL,
  form text NOT NULL,
  unit text,
  PRIMARY KEY (file_id, name)
);
ALTER TABLE properties ADD COLUMN searched boolean NOT NULL DEFAULT true;

CREATE TABLE name_counts (
  name text NOT NULL,
  level text NOT NULL,
  kind text NOT NULL,
  class_id int NOT NULL,
  library_id int NOT NULL,
  folder text NOT NULL,
  files int NOT NULL,
  filled int NOT NULL,
  stand_ins int NOT NULL,
  PRIMARY KEY (name, level, kind, class_id, library_id, folder)
);
CREATE TABLE name_facts (
  name text NOT NULL,
  level text NOT NULL,
  kind text NOT NULL,
  distinct_values int NOT NULL,
  longest int NOT NULL,
  examples text[] NOT NULL,
  guess jsonb NOT NULL,
  PRIMARY KEY (name, level, kind)
);
CREATE TABLE surveys (
  id serial PRIMARY KEY,
  title text NOT NULL,
  user_id int NOT NULL REFERENCES users,
  at timestamptz NOT NULL,
  filter jsonb NOT NULL,
  files int NOT NULL,
  counts jsonb NOT NULL
);

CREATE TABLE jobs (
  id serial PRIMARY KEY,
  kind text NOT NULL,
  title text NOT NULL,
  user_id int REFERENCES users,
  input jsonb NOT NULL,
  state text NOT NULL CHECK (state IN ('waiting','running','done','failed','cancelled')),
  step text NOT NULL DEFAULT '',
  done int NOT NULL DEFAULT 0,
  total int NOT NULL DEFAULT 0,
  started_at timestamptz,
  ended_at timestamptz,
  message text,
  result jsonb,
  cancel boolean NOT NULL DEFAULT false,
  runner int
);
CREATE TABLE job_errors (id serial PRIMARY KEY, job_id int NOT NULL REFERENCES jobs ON DELETE CASCADE, path text NOT NULL, message text NOT NULL);
CREATE INDEX job_errors_job ON job_errors (job_id);

CREATE TABLE shapes (
  hash text PRIMARY KEY,
  problem text,
  result jsonb,
  picture bytea
);
CREATE TABLE file_shapes (
  file_id int NOT NULL REFERENCES files,
  product text NOT NULL,
  hash text NOT NULL,
  PRIMARY KEY (file_id, product)
);
CREATE INDEX file_shapes_hash ON file_shapes (hash);
ALTER TABLE files ADD COLUMN shaped_hash text;

ALTER TABLE send_outs ADD COLUMN found jsonb NOT NULL DEFAULT '[]';
ALTER TABLE take_back_cells ADD COLUMN name text;

CREATE TABLE foreign_mappings (id serial PRIMARY KEY, name text NOT NULL UNIQUE, rows jsonb NOT NULL);
CREATE TABLE api_tokens (
  id serial PRIMARY KEY,
  user_id int NOT NULL REFERENCES users,
  name text NOT NULL,
  token_hash text NOT NULL UNIQUE,
  at timestamptz NOT NULL,
  used_at timestamptz
);
`,
  },
  {
    name: '0003-editions',
    up: `
ALTER TABLE properties ADD COLUMN definition jsonb;
UPDATE properties p SET definition = to_jsonb(p) - 'id' - 'retired' - 'definition';
ALTER TABLE properties ALTER COLUMN definition SET NOT NULL,
  DROP COLUMN "writtenName", DROP COLUMN caption, DROP COLUMN help, DROP COLUMN type, DROP COLUMN unit, DROP COLUMN decimals, DROP COLUMN kinds, DROP COLUMN feed,
  DROP COLUMN "fileField", DROP COLUMN required, DROP COLUMN "minLength", DROP COLUMN "maxLength", DROP COLUMN min, DROP COLUMN max, DROP COLUMN choices,
  DROP COLUMN placeholder, DROP COLUMN searched;
ALTER TABLE properties
  ADD COLUMN position int NOT NULL DEFAULT 0,
  ADD COLUMN "writtenName" text NOT NULL GENERATED ALWAYS AS (definition->>'writtenName') STORED,
  ADD COLUMN searched boolean NOT NULL GENERATED ALWAYS AS (coalesce((definition->>'searched')::boolean, true)) STORED;
ALTER TABLE properties ADD CONSTRAINT properties_written_name UNIQUE ("writtenName") DEFERRABLE INITIALLY DEFERRED;

CREATE TABLE editions (
  id serial PRIMARY KEY,
  number int NOT NULL UNIQUE,
  state text NOT NULL CHECK (state IN ('draft','in force','superseded')),
  schema jsonb NOT NULL,
  note text NOT NULL DEFAULT '',
  user_id int REFERENCES users,
  at timestamptz NOT NULL,
  based_on int REFERENCES editions,
  revision int NOT NULL DEFAULT 0
);
CREATE UNIQUE INDEX one_draft ON editions (state) WHERE state = 'draft';
CREATE UNIQUE INDEX one_in_force ON editions (state) WHERE state = 'in force';
CREATE TABLE edition_edits (
  id serial PRIMARY KEY,
  edition_id int NOT NULL REFERENCES editions ON DELETE CASCADE,
  user_id int REFERENCES users,
  at timestamptz NOT NULL,
  what text NOT NULL
);
CREATE INDEX edition_edits_edition ON edition_edits (edition_id);
CREATE SEQUENCE check_ids;
INSERT INTO editions (number, state, schema, note, at)
  SELECT 1, 'in force', jsonb_build_object(
    'properties', jsonb_agg(definition || jsonb_build_object('id', id, 'retired', retired) ORDER BY id), 'checks', '[]'::jsonb,
    'strangers', '{"part":"reported","assembly":"reported","drawing":"reported","other":"allowed"}'::jsonb), 'What stood in the schema before it had editions.', now()
  FROM properties HAVING count(*) > 0;

CREATE TABLE choice_lists (id serial PRIMARY KEY, name text NOT NULL UNIQUE, content jsonb NOT NULL, source jsonb, loaded_at timestamptz, loaded_hash text);
CREATE TABLE number_series (id serial PRIMARY KEY, name text NOT NULL UNIQUE, definition jsonb NOT NULL);
CREATE TABLE series_counters (series_id int NOT NULL REFERENCES number_series ON DELETE CASCADE, frame text NOT NULL, last bigint NOT NULL, PRIMARY KEY (series_id, frame));
CREATE TABLE series_numbers (
  id serial PRIMARY KEY,
  series_id int NOT NULL REFERENCES number_series ON DELETE CASCADE,
  frame text NOT NULL,
  count bigint NOT NULL,
  text text NOT NULL,
  state text NOT NULL CHECK (state IN ('reserved','used','released')),
  user_id int REFERENCES users,
  file_id int REFERENCES files,
  at timestamptz NOT NULL,
  note text NOT NULL DEFAULT '',
  UNIQUE (series_id, frame, count),
  UNIQUE (series_id, text)
);

ALTER TABLE files ADD COLUMN workflow_state text;

CREATE TABLE tries (
  id serial PRIMARY KEY,
  edition_id int NOT NULL REFERENCES editions ON DELETE CASCADE,
  revision int NOT NULL,
  user_id int REFERENCES users,
  at timestamptz NOT NULL,
  files int NOT NULL DEFAULT 0,
  done boolean NOT NULL DEFAULT false
);
CREATE TABLE try_findings (
  try_id int NOT NULL REFERENCES tries ON DELETE CASCADE,
  file_id int NOT NULL,
  property_id int,
  check_id int,
  effect text NOT NULL CHECK (effect IN ('breaks','passes','changes','loses')),
  before text,
  after text,
  message text NOT NULL
);
CREATE INDEX try_findings_property ON try_findings (try_id, effect, property_id);
CREATE INDEX try_findings_file ON try_findings (try_id, file_id);

CREATE TABLE start_files (
  name text PRIMARY KEY,
  edition int NOT NULL,
  hash text NOT NULL,
  names text[] NOT NULL,
  kind text NOT NULL,
  at timestamptz NOT NULL
);
`,
  },
  {
    name: '0004-values',
    up: `
DROP TABLE start_files;
CREATE TABLE start_files (
  edition int NOT NULL,
  name text NOT NULL,
  kind text NOT NULL,
  class text,
  sheet text,
  names text[] NOT NULL,
  hash text NOT NULL,
  current boolean NOT NULL,
  at timestamptz NOT NULL,
  user_id int REFERENCES users,
  PRIMARY KEY (edition, name)
);
CREATE TABLE arrivals (
  file_id int PRIMARY KEY REFERENCES files,
  how text NOT NULL CHECK (how IN ('new','changed')),
  owner_id int REFERENCES users,
  at timestamptz NOT NULL
);

CREATE TABLE wide_holders (
  id serial PRIMARY KEY,
  level text NOT NULL CHECK (level IN ('company','project','drawing set')),
  name text NOT NULL,
  position int NOT NULL DEFAULT 0,
  clauses jsonb NOT NULL DEFAULT '[]',
  removed boolean NOT NULL DEFAULT false
);
CREATE UNIQUE INDEX wide_holders_name ON wide_holders (level, name) WHERE NOT removed;
CREATE UNIQUE INDEX one_company ON wide_holders (level) WHERE level = 'company';
CREATE TABLE wide_members (
  holder_id int NOT NULL REFERENCES wide_holders ON DELETE CASCADE,
  file_id int NOT NULL REFERENCES files,
  member boolean NOT NULL,
  PRIMARY KEY (holder_id, file_id)
);
CREATE INDEX wide_members_file ON wide_members (file_id);
ALTER TABLE files ADD COLUMN project_id int REFERENCES wide_holders, ADD COLUMN set_id int REFERENCES wide_holders;
CREATE INDEX files_project ON files (project_id) WHERE project_id IS NOT NULL;
CREATE INDEX files_set ON files (set_id) WHERE set_id IS NOT NULL;
INSERT INTO wide_holders (level, name) VALUES ('company', 'the company');

-- Holders above files have negative numbers where a file's number stands.
ALTER TABLE change_lines DROP CONSTRAINT change_lines_file_id_fkey;
ALTER TABLE beside_values DROP CONSTRAINT beside_values_file_id_fkey;
CREATE VIEW targets AS
  SELECT id, library_id, path, kind, format, lock_reason, removed, class_id, workflow_state FROM files
  UNION ALL
  SELECT -id, NULL, CASE level WHEN 'company' THEN 'the company' ELSE level || ' ' || name END, level, 'above', NULL, removed, NULL, NULL FROM wide_holders;
CREATE VIEW target_values AS
  SELECT file_id, holder, place, name, text, form, unit FROM held_values
  UNION ALL
  SELECT file_id, '', 'property', name, text, form, unit FROM beside_values WHERE file_id < 0
  UNION ALL
  SELECT id, '', 'field', 'file name', name, 'text', NULL FROM files WHERE NOT removed;

CREATE TABLE grid_views (
  id serial PRIMARY KEY,
  name text NOT NULL,
  user_id int NOT NULL REFERENCES users,
  shared boolean NOT NULL DEFAULT false,
  content jsonb NOT NULL,
  UNIQUE (user_id, name)
);
CREATE TABLE value_sets (
  id serial PRIMARY KEY,
  name text NOT NULL,
  user_id int NOT NULL REFERENCES users,
  shared boolean NOT NULL DEFAULT false,
  content jsonb NOT NULL,
  UNIQUE (user_id, name)
);
CREATE TABLE favourite_values (
  user_id int NOT NULL REFERENCES users,
  property_id int NOT NULL REFERENCES properties,
  text text NOT NULL,
  PRIMARY KEY (user_id, property_id, text)
);
CREATE SEQUENCE form_ids;

-- What the last look at a list's source found: the number of choices that differ, or why it could not be looked at.
ALTER TABLE choice_lists ADD COLUMN looked_at timestamptz, ADD COLUMN differs int, ADD COLUMN trouble text;

-- A file that is renamed ends under another path than it began.
ALTER TABLE journal ADD COLUMN moved_to text;
`,
  },
  {
    name: '0005-exchange',
    up: `
-- Saved layouts of tables.
CREATE TABLE exchange_layouts (
  id serial PRIMARY KEY,
  name text NOT NULL,
  purpose text NOT NULL DEFAULT '',
  user_id int REFERENCES users,
  shared boolean NOT NULL DEFAULT false,
  content jsonb NOT NULL
);

-- A send-out has rows of any level, each with the values that it was sent out with, by property number.
CREATE TABLE send_out_rows (
  send_out_id int NOT NULL REFERENCES send_outs ON DELETE CASCADE,
  n int NOT NULL,
  file_id int NOT NULL,
  holder text NOT NULL DEFAULT '',
  held jsonb NOT NULL,
  PRIMARY KEY (send_out_id, n)
);
INSERT INTO send_out_rows
  SELECT f.send_out_id, f.file_id, f.file_id, '', coalesce((SELECT jsonb_object_agg(c.property_id, jsonb_strip_nulls(jsonb_build_object('text', c.text, 'form', c.form, 'unit', c.unit)))
    FROM send_out_cells c WHERE c.send_out_id = f.send_out_id AND c.file_id = f.file_id), '{}') FROM send_out_files f;
DROP TABLE send_out_cells;
DROP TABLE send_out_files;
ALTER TABLE send_outs ADD COLUMN layout_id int REFERENCES exchange_layouts ON DELETE SET NULL, ADD COLUMN name text NOT NULL DEFAULT '',
  ADD COLUMN recipient text NOT NULL DEFAULT '', ADD COLUMN level text NOT NULL DEFAULT 'document', ADD COLUMN columns jsonb NOT NULL DEFAULT '[]',
  ADD COLUMN content jsonb, ADD COLUMN edition int, ADD COLUMN rows int NOT NULL DEFAULT 0, ADD COLUMN kept text, ADD COLUMN closed_at timestamptz,
  ADD COLUMN state text NOT NULL DEFAULT 'done' CHECK (state IN ('making', 'done')), ADD COLUMN delivery boolean NOT NULL DEFAULT false;
UPDATE send_outs s SET rows = files, name = 'values-' || s.id || '.' || s.format, content = jsonb_build_object('filter', s.filter),
  columns = coalesce((SELECT jsonb_agg(jsonb_build_object('property', p.id, 'header', p.definition->>'writtenName', 'editable', true)) FROM properties p WHERE p.id = ANY(s.properties)), '[]');
ALTER TABLE send_outs DROP COLUMN filter, DROP COLUMN properties;

ALTER TABLE take_backs ALTER COLUMN counts DROP NOT NULL, DROP COLUMN issues,
  ADD COLUMN state text NOT NULL DEFAULT 'compared' CHECK (state IN ('asking', 'comparing', 'compared', 'failed')), ADD COLUMN hash text,
  ADD COLUMN choice jsonb NOT NULL DEFAULT '{}', ADD COLUMN inspection jsonb, ADD COLUMN send_outs int[] NOT NULL DEFAULT '{}', ADD COLUMN warnings jsonb NOT NULL DEFAULT '[]', ADD COLUMN job_id int;
CREATE TABLE take_back_issues (
  take_back_id int NOT NULL REFERENCES take_backs ON DELETE CASCADE,
  row int NOT NULL,
  code text NOT NULL,
  message text NOT NULL,
  cells int NOT NULL
);
CREATE INDEX take_back_issues_set ON take_back_issues (take_back_id, row);
ALTER TABLE take_back_cells ADD COLUMN holder text NOT NULL DEFAULT '', ADD COLUMN takeable boolean NOT NULL DEFAULT true, ADD COLUMN proven boolean NOT NULL DEFAULT false,
  ADD COLUMN code text NOT NULL DEFAULT '', ADD COLUMN decision text CHECK (decision IN ('take', 'leave')), ADD COLUMN place text, ADD COLUMN slot text, ADD COLUMN n int;
UPDATE take_back_cells SET decision = CASE outcome WHEN 'tray' THEN 'take' WHEN 'kept' THEN 'leave' END, outcome = CASE outcome WHEN 'tray' THEN 'tray' END, code = verdict, takeable = verdict IN ('change', 'conflict');
UPDATE take_back_cells c SET n = r.n FROM (SELECT id, row_number() OVER (PARTITION BY take_back_id ORDER BY row, id) AS n FROM take_back_cells) r WHERE r.id = c.id;
DROP INDEX take_back_cells_set;
CREATE INDEX take_back_cells_set ON take_back_cells (take_back_id, row, id);
CREATE INDEX take_back_cells_number ON take_back_cells (take_back_id, n);
CREATE INDEX take_back_cells_waiting ON take_back_cells (take_back_id) WHERE outcome IN ('tray', 'failed');
CREATE INDEX take_back_cells_verdict ON take_back_cells (take_back_id, verdict, row, id);

CREATE TABLE deliveries (
  id serial PRIMARY KEY,
  user_id int NOT NULL REFERENCES users,
  content jsonb NOT NULL,
  layout_id int NOT NULL REFERENCES exchange_layouts ON DELETE CASCADE,
  next_at timestamptz,
  last jsonb
);
-- What a delivery on release has delivered: a file is delivered again when its bytes have changed since.
CREATE TABLE delivered_files (
  delivery_id int NOT NULL REFERENCES deliveries ON DELETE CASCADE,
  file_id int NOT NULL,
  hash text NOT NULL,
  PRIMARY KEY (delivery_id, file_id)
);
CREATE TABLE watched_folders (
  id serial PRIMARY KEY,
  user_id int NOT NULL REFERENCES users,
  content jsonb NOT NULL,
  last jsonb
);
`,
  },
  {
    name: '0006-revisions',
    up: `
UPDATE number_series SET definition = definition || '{"per": "library"}';
-- Whether nothing stands beside the files any more that was kept there while a set was applied.
ALTER TABLE change_sets ADD COLUMN cleared boolean NOT NULL DEFAULT true;
CREATE INDEX change_sets_not_cleared ON change_sets (id) WHERE NOT cleared;
`,
  },
  {
    name: '0007-quick-reading',
    up: `
-- Values are looked up by name; texts in the index made every new value cost as much again, and no question asked for them.
DROP INDEX held_values_name;
CREATE INDEX held_values_name ON held_values (name, place);
-- A server that was built without lz4 goes on with its own compression.
DO $$ BEGIN
  ALTER TABLE files ALTER COLUMN reading SET COMPRESSION lz4;
EXCEPTION WHEN feature_not_supported OR invalid_parameter_value THEN NULL;
END $$;
`,
  },
  {
    name: '0008-blocks-once',
    up: `
-- The blocks that thousands of drawings share are kept once, by their hash, instead of in every drawing's reading.
CREATE TABLE block_definitions (hash text PRIMARY KEY, definition jsonb NOT NULL);
ALTER TABLE files ADD COLUMN blocks text[] NOT NULL DEFAULT '{}';
INSERT INTO block_definitions
  SELECT DISTINCT encode(sha256(convert_to(b::text, 'UTF8')), 'hex'), b FROM files, jsonb_array_elements(reading->'blocks') b WHERE jsonb_typeof(reading->'blocks') = 'array';
UPDATE files SET reading = reading - 'blocks', blocks = ARRAY(
  SELECT encode(sha256(convert_to(b::text, 'UTF8')), 'hex') FROM jsonb_array_elements(reading->'blocks') WITH ORDINALITY AS e(b, n) ORDER BY n)
  WHERE jsonb_typeof(reading->'blocks') = 'array';
`,
  },
  {
    name: '0009-steps-of-trays',
    up: `
-- What was typed, step by step, with the tray's lines at those addresses before and after, so that steps can be undone however large the tray is.
CREATE TABLE tray_steps (
  id serial PRIMARY KEY,
  change_set_id int NOT NULL REFERENCES change_sets ON DELETE CASCADE,
  reason text NOT NULL,
  before jsonb NOT NULL,
  after jsonb NOT NULL,
  undone boolean NOT NULL DEFAULT false
);
CREATE INDEX tray_steps_set ON tray_steps (change_set_id, id);
`,
  },
  {
    name: '0010-answers-about-tables',
    up: `
-- What was decided about tables, by their headers, for the next table with the same one.
ALTER TABLE take_backs ADD COLUMN answers_of int;
CREATE TABLE reading_answers (header text PRIMARY KEY, take_back_id int NOT NULL, choice jsonb NOT NULL);
`,
  },
  {
    name: '0011-drafts-given-up',
    up: `
-- The last draft that was discarded, so that it can be taken back.
CREATE TABLE discarded_drafts (
  id int PRIMARY KEY CHECK (id = 1),
  schema jsonb NOT NULL,
  based_on int REFERENCES editions,
  edits jsonb NOT NULL,
  changes int NOT NULL,
  user_id int REFERENCES users,
  at timestamptz NOT NULL
);
`,
  },
  {
    name: '0012-kept-judgements',
    up: `
-- What is wrong with values, or is not what it should be: the one judgement that every view goes by, kept so that no view works it out anew.
CREATE TABLE findings (
  file_id int NOT NULL,
  holder text NOT NULL,
  property_id int,
  check_id int,
  code text NOT NULL,
  message text NOT NULL,
  wanted jsonb
);
CREATE INDEX findings_file ON findings (file_id);
CREATE INDEX findings_code ON findings (code, property_id);
-- Files whose judgement may have changed, the same one any number of times; 0 stands for all, negative numbers for what stands above files.
CREATE TABLE to_judge (file_id int NOT NULL, spread boolean NOT NULL DEFAULT false);
CREATE INDEX to_judge_file ON to_judge (file_id);
CREATE INDEX to_judge_fresh ON to_judge (file_id) WHERE NOT spread;
INSERT INTO to_judge VALUES (0);
CREATE FUNCTION judge_files() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO to_judge SELECT id FROM fresh; RETURN NULL; END $$;
CREATE TRIGGER judge_new_files AFTER INSERT ON files REFERENCING NEW TABLE AS fresh FOR EACH STATEMENT EXECUTE FUNCTION judge_files();
CREATE FUNCTION judge_changed_files() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
  INSERT INTO to_judge SELECT n.id FROM fresh n JOIN stale o ON o.id = n.id
    WHERE (n.hash, n.kind, n.name, n.folder, n.class_id, n.workflow_state, n.model_file_id, n.project_id, n.set_id, n.removed, n.problem, n.shaped_hash)
      IS DISTINCT FROM (o.hash, o.kind, o.name, o.folder, o.class_id, o.workflow_state, o.model_file_id, o.project_id, o.set_id, o.removed, o.problem, o.shaped_hash);
  RETURN NULL; END $$;
CREATE TRIGGER judge_changed_files AFTER UPDATE ON files REFERENCING NEW TABLE AS fresh OLD TABLE AS stale FOR EACH STATEMENT EXECUTE FUNCTION judge_changed_files();
CREATE FUNCTION judge_beside() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO to_judge SELECT DISTINCT file_id FROM fresh; RETURN NULL; END $$;
CREATE TRIGGER judge_new_beside AFTER INSERT ON beside_values REFERENCING NEW TABLE AS fresh FOR EACH STATEMENT EXECUTE FUNCTION judge_beside();
CREATE TRIGGER judge_gone_beside AFTER DELETE ON beside_values REFERENCING OLD TABLE AS fresh FOR EACH STATEMENT EXECUTE FUNCTION judge_beside();
CREATE FUNCTION judge_copies() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO to_judge SELECT DISTINCT assembly_id FROM fresh; RETURN NULL; END $$;
CREATE TRIGGER judge_new_copies AFTER INSERT ON copies REFERENCING NEW TABLE AS fresh FOR EACH STATEMENT EXECUTE FUNCTION judge_copies();
CREATE TRIGGER judge_changed_copies AFTER UPDATE ON copies REFERENCING NEW TABLE AS fresh FOR EACH STATEMENT EXECUTE FUNCTION judge_copies();
CREATE FUNCTION judge_all() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO to_judge VALUES (0); RETURN NULL; END $$;
CREATE TRIGGER judge_by_edition AFTER UPDATE OF state ON editions FOR EACH STATEMENT EXECUTE FUNCTION judge_all();
CREATE TRIGGER judge_by_list AFTER INSERT OR UPDATE OR DELETE ON choice_lists FOR EACH STATEMENT EXECUTE FUNCTION judge_all();
CREATE TRIGGER judge_by_class AFTER INSERT OR UPDATE OR DELETE ON classes FOR EACH STATEMENT EXECUTE FUNCTION judge_all();
CREATE FUNCTION judge_by_settings() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
  INSERT INTO to_judge SELECT 0 WHERE EXISTS (SELECT 1 FROM fresh WHERE key <> 'judgedOn'); RETURN NULL; END $$;
CREATE TRIGGER judge_new_settings AFTER INSERT ON settings REFERENCING NEW TABLE AS fresh FOR EACH STATEMENT EXECUTE FUNCTION judge_by_settings();
CREATE TRIGGER judge_changed_settings AFTER UPDATE ON settings REFERENCING NEW TABLE AS fresh FOR EACH STATEMENT EXECUTE FUNCTION judge_by_settings();
`,
  },
  {
    name: '0013-journals-in-order',
    up: `
-- The order in which files are written, whether their bytes are exchanged in place, and why an interrupted set could not be finished so far.
ALTER TABLE journal ADD COLUMN seq int NOT NULL DEFAULT 0;
ALTER TABLE journal ADD COLUMN in_place boolean NOT NULL DEFAULT false;
ALTER TABLE change_sets ADD COLUMN recovery_problem text;
CREATE INDEX change_sets_applying ON change_sets (id) WHERE state = 'applying';
`,
  },
  {
    name: '0014-people',
    up: `
ALTER TABLE users ADD COLUMN state text NOT NULL DEFAULT 'active' CHECK (state IN ('active','locked','removed'));
ALTER TABLE users ADD COLUMN first_password boolean NOT NULL DEFAULT false;
ALTER TABLE users ADD COLUMN signed_in_at timestamptz;
-- Tokens from before they had an end go on for a while, and say so.
ALTER TABLE api_tokens ADD COLUMN expires_at timestamptz NOT NULL DEFAULT now() + interval '90 days';
ALTER TABLE api_tokens ALTER COLUMN expires_at DROP DEFAULT;
ALTER TABLE api_tokens ADD COLUMN scope text NOT NULL DEFAULT 'work' CHECK (scope IN ('read','work','people'));
-- Attempts to sign in that failed, by name, by address and by both; until when the next one has to wait.
CREATE TABLE sign_in_attempts (key text PRIMARY KEY, failed int NOT NULL, at timestamptz NOT NULL, wait_until timestamptz NOT NULL);
-- The order of the grid.
CREATE INDEX files_in_order ON files (path, id) WHERE NOT removed;
CREATE INDEX sessions_of_person ON session ((sess->>'userId'));
-- Libraries of a restored copy are neither read nor written before somebody has said where they stand.
ALTER TABLE libraries ADD COLUMN IF NOT EXISTS confirmed boolean NOT NULL DEFAULT true;
`,
  },
  {
    name: '0015-law-stamps',
    up: `
-- What the company has laid down is read with nearly every question and changes rarely: whoever keeps it compares these numbers. A number
-- is raised in the transaction that writes, so that nobody sees it before what it stands for.
CREATE TABLE law_stamps (name text PRIMARY KEY, n bigint NOT NULL DEFAULT 0);
INSERT INTO law_stamps (name) VALUES ('bindings'), ('choice_lists'), ('editions'), ('properties'), ('settings');
CREATE FUNCTION law_written() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  UPDATE law_stamps SET n = n + 1 WHERE name = TG_TABLE_NAME;
  RETURN NULL;
END $$;
CREATE TRIGGER law_written AFTER INSERT OR UPDATE OR DELETE OR TRUNCATE ON bindings FOR EACH STATEMENT EXECUTE FUNCTION law_written();
CREATE TRIGGER law_written AFTER INSERT OR UPDATE OR DELETE OR TRUNCATE ON choice_lists FOR EACH STATEMENT EXECUTE FUNCTION law_written();
CREATE TRIGGER law_written AFTER INSERT OR UPDATE OR DELETE OR TRUNCATE ON editions FOR EACH STATEMENT EXECUTE FUNCTION law_written();
CREATE TRIGGER law_written AFTER INSERT OR UPDATE OR DELETE OR TRUNCATE ON properties FOR EACH STATEMENT EXECUTE FUNCTION law_written();
-- The day of the last judgement stands there too, and is asked for with a statement that mostly writes nothing.
CREATE TRIGGER law_written AFTER INSERT OR UPDATE OR DELETE ON settings FOR EACH ROW EXECUTE FUNCTION law_written();
-- Who else has a line at the same address is asked for every line of a tray.
DROP INDEX change_lines_file;
CREATE INDEX change_lines_address ON change_lines (file_id, holder, place, name);
`,
  },
  {
    name: '0016-mapping-in-editions',
    up: `
-- Sheets of drawings, and the blocks with cells that stand on them. A file read by an older reader is read again at the next survey.
ALTER TABLE files ADD COLUMN read_by int NOT NULL DEFAULT 2;
UPDATE files SET read_by = 1 WHERE format = 'dxf';
CREATE TABLE sheets (
  file_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  layout text NOT NULL,
  position int NOT NULL,
  scale double precision,
  width double precision,
  height double precision,
  unit text,
  PRIMARY KEY (file_id, layout)
);
CREATE TABLE placed_blocks (
  file_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  holder text NOT NULL,
  layout text NOT NULL,
  block text NOT NULL,
  -- The name that the block goes by: of the one that it was made from, in small letters.
  family text NOT NULL,
  inside text,
  missing text[] NOT NULL,
  fixed jsonb NOT NULL,
  PRIMARY KEY (file_id, holder)
);
CREATE INDEX placed_blocks_family ON placed_blocks (family, file_id);
INSERT INTO sheets SELECT f.id, s.sheet->>'layout', s.at - 1, NULL, (s.sheet->'paper'->>'width')::float8, (s.sheet->'paper'->>'height')::float8, s.sheet->>'unit'
  FROM files f, jsonb_array_elements(f.reading->'sheets') WITH ORDINALITY s(sheet, at) WHERE f.format = 'dxf' AND f.reading IS NOT NULL ON CONFLICT DO NOTHING;
INSERT INTO placed_blocks SELECT f.id, i.placed->>'holder', i.placed->>'layout', i.placed->>'block', lower(trim(i.placed->>'block')), NULL,
    ARRAY(SELECT jsonb_array_elements_text(i.placed->'missing')), '{}'
  FROM files f, jsonb_array_elements(f.reading->'inserts') i(placed) WHERE f.format = 'dxf' AND f.reading IS NOT NULL ON CONFLICT DO NOTHING;
CREATE INDEX block_definitions_name ON block_definitions (lower(trim(definition->>'name')));
-- Which model feeds a sheet, where somebody has settled that.
CREATE TABLE sheet_models (
  file_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  layout text NOT NULL,
  model_file_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  PRIMARY KEY (file_id, layout)
);
CREATE INDEX sheet_models_model ON sheet_models (model_file_id);
CREATE FUNCTION judge_sheets() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO to_judge SELECT DISTINCT file_id FROM fresh; RETURN NULL; END $$;
CREATE TRIGGER judge_new_sheet_models AFTER INSERT ON sheet_models REFERENCING NEW TABLE AS fresh FOR EACH STATEMENT EXECUTE FUNCTION judge_sheets();
CREATE TRIGGER judge_changed_sheet_models AFTER UPDATE ON sheet_models REFERENCING NEW TABLE AS fresh FOR EACH STATEMENT EXECUTE FUNCTION judge_sheets();
CREATE TRIGGER judge_gone_sheet_models AFTER DELETE ON sheet_models REFERENCING OLD TABLE AS fresh FOR EACH STATEMENT EXECUTE FUNCTION judge_sheets();
-- What is the matter with every bound cell: kept with the judgement of values, and brought up to date with it.
CREATE TABLE cell_states (
  file_id int NOT NULL,
  holder text NOT NULL,
  tag text NOT NULL,
  family text NOT NULL,
  binding_id int NOT NULL,
  state text NOT NULL,
  stored text,
  shown text,
  why text NOT NULL
);
CREATE INDEX cell_states_file ON cell_states (file_id);
CREATE INDEX cell_states_family ON cell_states (family, state, tag) INCLUDE (file_id, holder);
INSERT INTO to_judge VALUES (0);

-- Bindings and links stand in the edition from here on. What was defined before holds in every edition that has its property.
CREATE SEQUENCE binding_ids;
CREATE SEQUENCE link_ids;
SELECT setval('link_ids', (SELECT coalesce(max(id), 0) + 1 FROM links), false);
CREATE TEMP TABLE kept_bindings ON COMMIT DROP AS SELECT nextval('binding_ids')::int AS id, b.* FROM (SELECT * FROM bindings ORDER BY block, tag) b;
CREATE TEMP TABLE kept_homes ON COMMIT DROP AS SELECT nextval('binding_ids')::int AS id, h.* FROM (
  SELECT DISTINCT (e->>'id')::int AS property, e->'homes'->'drawing'->>'name' AS cell FROM (SELECT schema FROM editions UNION ALL SELECT schema FROM discarded_drafts) s, jsonb_array_elements(s.schema->'properties') e
  WHERE e->'homes'->'drawing'->>'place' = 'cell' ORDER BY 1, 2) h;
CREATE OR REPLACE FUNCTION pg_temp.with_mapping(schema jsonb) RETURNS jsonb LANGUAGE sql AS $$
  WITH p AS (SELECT (e.property->>'id')::int AS id, e.property, e.at FROM jsonb_array_elements(schema->'properties') WITH ORDINALITY e(property, at)),
  homes AS (SELECT p.id, p.property->'homes'->'drawing'->>'name' AS cell FROM p WHERE p.property->'homes'->'drawing'->>'place' = 'cell'),
  bound AS (
    SELECT jsonb_build_object('id', h.id, 'block', NULL, 'cell', h.cell, 'leads', true,
      'shows', jsonb_build_array(jsonb_build_object('property', h.property, 'from', 'sheet', 'form', '{"letters": "as they are", "unit": false}'::jsonb))) AS binding, h.id
      FROM pg_temp.kept_homes h JOIN homes o ON o.id = h.property AND o.cell = h.cell
    UNION ALL
    SELECT jsonb_build_object('id', b.id, 'block', b.block, 'cell', b.tag, 'leads', false, 'shows', jsonb_build_array(jsonb_build_object('property', b.property_id,
        'from', CASE WHEN p.property->>'level' IN ('sheet', 'company', 'project', 'drawing set') THEN p.property->>'level' ELSE b.source END,
        'form', jsonb_build_object('letters', CASE WHEN b.format = 'upper case' THEN 'capitals' ELSE 'as they are' END, 'unit', b.format = 'with unit')))), b.id
      FROM pg_temp.kept_bindings b JOIN p ON p.id = b.property_id
      -- A cell that is the home of a value shows that value; two things no longer own it.
      WHERE NOT EXISTS (SELECT 1 FROM homes h WHERE h.cell = b.tag AND h.id = b.property_id)),
  linked AS (
    SELECT jsonb_build_object('id', l.id, 'field', l.field, 'kind', l.kind, 'in', l."in", 'out', l."out", 'onClash', l."onClash", 'at', coalesce(
        (SELECT jsonb_build_object('property', p.id) FROM p WHERE p.property->'kinds' ? l.kind AND p.property->>'level' IN ('document', 'variant') AND NOT coalesce((p.property->>'retired')::boolean, false)
          AND CASE WHEN p.property->>'feed' = 'file' AND p.property->>'fileField' IS NOT NULL THEN l.place = 'field' AND l.name = p.property->>'fileField'
                   WHEN p.property->'homes' ? l.kind THEN l.place = p.property->'homes'->l.kind->>'place' AND l.name = p.property->'homes'->l.kind->>'name'
                   ELSE l.place = 'property' AND l.name = p.property->>'writtenName' END ORDER BY p.at LIMIT 1),
        jsonb_build_object('place', l.place, 'name', l.name))) AS link, l.id
      FROM links l)
  SELECT schema || jsonb_build_object(
    'properties', (SELECT coalesce(jsonb_agg(CASE WHEN p.property->'homes'->'drawing'->>'place' = 'cell' THEN p.property #- '{homes,drawing}' ELSE p.property END ORDER BY p.at), '[]') FROM p),
    'bindings', (SELECT coalesce(jsonb_agg(b.binding ORDER BY b.id), '[]') FROM bound b),
    'links', (SELECT coalesce(jsonb_agg(l.link ORDER BY l.id), '[]') FROM linked l)) $$;
UPDATE editions SET schema = pg_temp.with_mapping(schema);
UPDATE discarded_drafts SET schema = pg_temp.with_mapping(schema);
ALTER TABLE agreed_values DROP CONSTRAINT agreed_values_link_id_fkey;
DROP TABLE bindings;
DROP TABLE links;
DELETE FROM law_stamps WHERE name = 'bindings';
-- What a try says of cells and records, beside what it says of values.
ALTER TABLE try_findings DROP CONSTRAINT try_findings_effect_check;
ALTER TABLE try_findings ADD CHECK (effect IN ('breaks', 'passes', 'changes', 'loses', 'shows', 'records'));
ALTER TABLE try_findings ADD COLUMN cell text;
ALTER TABLE try_findings ADD COLUMN record text;
-- Which library stands for the vault: files are one with its entries there and nowhere else.
ALTER TABLE libraries ADD COLUMN in_vault boolean NOT NULL DEFAULT false;
UPDATE libraries SET in_vault = true WHERE id IN (SELECT library_id FROM files WHERE workflow_state IS NOT NULL GROUP BY library_id ORDER BY count(*) DESC LIMIT 1);
UPDATE files SET workflow_state = NULL, lock_reason = NULL WHERE workflow_state IS NOT NULL AND library_id NOT IN (SELECT id FROM libraries WHERE in_vault);
-- What the vault has said last, and when: no look waits for it.
CREATE TABLE vault_records (
  entry_id int PRIMARY KEY,
  path text NOT NULL UNIQUE,
  version int NOT NULL,
  state text NOT NULL,
  checked_out_by text,
  record jsonb NOT NULL
);
CREATE TABLE vault_said (id int PRIMARY KEY CHECK (id = 1), at timestamptz NOT NULL, fields jsonb NOT NULL, link_table jsonb NOT NULL, problem text);
`,
  },
  {
    name: '0017-lettering',
    up: `
-- How cells are lettered where that is not as their block says, and whether their texts fit. Drawings are read again for it.
UPDATE files SET read_by = 3 WHERE format <> 'dxf';
ALTER TABLE files ALTER COLUMN read_by SET DEFAULT 3;
ALTER TABLE sheets ADD COLUMN largest double precision, ADD COLUMN scales_differ boolean NOT NULL DEFAULT false;
ALTER TABLE placed_blocks ADD COLUMN lettering jsonb NOT NULL DEFAULT '{}';
ALTER TABLE cell_states ADD COLUMN fit jsonb;
`,
  },
  {
    name: '0018-sheets-of-sets',
    up: `
-- The number of a sheet with a title block among those of its drawing set, in the order of paths and layouts.
CREATE TABLE set_sheets (
  file_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  layout text NOT NULL,
  number int NOT NULL,
  total int NOT NULL,
  PRIMARY KEY (file_id, layout)
);
INSERT INTO to_judge (file_id) VALUES (0);
`,
  },
  {
    name: '0019-bills-of-materials',
    up: `
-- Layouts are set-ups of a list with all that it needs, own or shared, and saved against the version that was opened.
ALTER TABLE bom_layouts ADD COLUMN purpose text NOT NULL DEFAULT '', ADD COLUMN shared boolean NOT NULL DEFAULT true,
  ADD COLUMN user_id int REFERENCES users ON DELETE SET NULL, ADD COLUMN version int NOT NULL DEFAULT 1, ADD COLUMN content jsonb;
UPDATE bom_layouts SET content = jsonb_build_object('structure', 'single-level', 'key', '[]'::jsonb, 'sort', '[]'::jsonb, 'group', NULL, 'classes', '[]'::jsonb,
  'bodies', false, 'assemblies', false, 'numbers', '{"start": 1, "step": 1, "reuse": false}'::jsonb,
  'columns', '[{"of": {"fact": "item"}, "header": "", "width": null, "sum": false}, {"of": {"fact": "quantity"}, "header": "", "width": null, "sum": false}, {"of": {"fact": "part"}, "header": "", "width": null, "sum": false}]'::jsonb
    || coalesce((SELECT jsonb_agg(jsonb_build_object('of', jsonb_build_object('property', p.id), 'header', '', 'width', NULL, 'sum', false) ORDER BY p.at) FROM unnest(columns) WITH ORDINALITY p(id, at)), '[]'));
ALTER TABLE bom_layouts ALTER COLUMN content SET NOT NULL, DROP COLUMN columns;
-- Item numbers, by list and row. Rows are named by what they stand for; their hashes are what an index can hold.
CREATE TABLE bom_numbers (
  assembly_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  root text NOT NULL,
  layout_id int NOT NULL REFERENCES bom_layouts ON DELETE CASCADE,
  "row" text NOT NULL,
  parent text,
  number int NOT NULL,
  row_hash text NOT NULL,
  parent_hash text NOT NULL,
  PRIMARY KEY (assembly_id, root, layout_id, row_hash),
  UNIQUE (assembly_id, root, layout_id, parent_hash, number)
);
CREATE TABLE bom_kept (
  id serial PRIMARY KEY,
  assembly_id int REFERENCES files ON DELETE SET NULL,
  title text NOT NULL,
  path text NOT NULL,
  layout text NOT NULL,
  edition int,
  at timestamptz NOT NULL,
  user_id int REFERENCES users ON DELETE SET NULL,
  by_name text NOT NULL,
  content jsonb NOT NULL
);
CREATE INDEX bom_kept_assembly ON bom_kept (assembly_id);
`,
  },
  {
    name: '0020-vault-versions',
    up: `
-- The bytes of the newest version, and the version that a file of the library is made from: a newer one is never written over unseen.
ALTER TABLE vault_records ADD COLUMN hash text NOT NULL DEFAULT '';
CREATE TABLE vault_bases (file_id int PRIMARY KEY REFERENCES files ON DELETE CASCADE, entry_id int NOT NULL, version int NOT NULL);
-- What a value was agreed on for: a link that leads elsewhere has agreed on nothing yet.
ALTER TABLE agreed_values ADD COLUMN field text, ADD COLUMN leads_to jsonb;
UPDATE agreed_values a SET field = l.link->>'field', leads_to = l.link->'at'
  FROM editions e, jsonb_array_elements(e.schema->'links') AS l(link) WHERE e.state = 'in force' AND (l.link->>'id')::int = a.link_id;
DELETE FROM agreed_values WHERE field IS NULL;
ALTER TABLE agreed_values ALTER COLUMN field SET NOT NULL, ALTER COLUMN leads_to SET NOT NULL;
`,
  },
  {
    name: '0021-lists-on-sheets',
    up: `
-- Drawings are read again: where blocks and views are on their sheets, and the next free handle.
UPDATE files SET read_by = 4 WHERE format <> 'dxf' AND NOT EXISTS (SELECT 1 FROM holders h WHERE h.file_id = files.id AND h.level = 'body');
ALTER TABLE files ALTER COLUMN read_by SET DEFAULT 4;
-- Rows of lists that item marks are known to point at, so that a renumbered list tells which marks are left behind.
CREATE TABLE mark_rows (
  layout_id int NOT NULL REFERENCES bom_layouts ON DELETE CASCADE,
  assembly_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  root text NOT NULL,
  file_id int NOT NULL REFERENCES files ON DELETE CASCADE,
  holder text NOT NULL,
  "row" text NOT NULL,
  PRIMARY KEY (layout_id, assembly_id, file_id, holder)
);
CREATE INDEX mark_rows_file ON mark_rows (file_id);
CREATE INDEX mark_rows_assembly ON mark_rows (assembly_id);
-- Holders in the order of their file: measured bodies are in that order too. Shapes are measured again for sizes and pictures of their bodies.
ALTER TABLE holders ADD COLUMN position int NOT NULL DEFAULT 0;
ALTER TABLE shapes ADD COLUMN body_pictures bytea[] NOT NULL DEFAULT '{}';
-- What is known of them counts until then.
ALTER TABLE shapes ADD COLUMN measured_by int NOT NULL DEFAULT 0;
ALTER TABLE shapes ALTER COLUMN measured_by SET DEFAULT 1;
UPDATE files SET shaped_hash = NULL WHERE format = 'step';
-- Rehearsals that were kept as evidence: what links would have done with each file at that time.
CREATE TABLE vault_rehearsals (
  id serial PRIMARY KEY,
  title text NOT NULL,
  at timestamptz NOT NULL,
  vault_at timestamptz,
  edition int,
  user_id int REFERENCES users ON DELETE SET NULL,
  by_name text NOT NULL,
  content jsonb NOT NULL
);
`,
  },
  {
    name: '0022-records-and-links',
    up: `
-- What the vault says beside a file: its own kind and class, who did what and when.
ALTER TABLE vault_records ADD COLUMN kind text NOT NULL DEFAULT 'other', ADD COLUMN class text, ADD COLUMN state_by text NOT NULL DEFAULT '', ADD COLUMN state_at timestamptz,
  ADD COLUMN checked_out_at timestamptz, ADD COLUMN version_by text NOT NULL DEFAULT '', ADD COLUMN version_at timestamptz;
-- Folders are counted and texts are looked for among a hundred thousand records. Texts stand as JSON writes them.
ALTER TABLE vault_records ADD COLUMN folder text GENERATED ALWAYS AS (regexp_replace(path, '/?[^/]*$', '')) STORED,
  ADD COLUMN words text GENERATED ALWAYS AS (lower(path) || E'\\n' || lower(jsonb_path_query_array(record, '$.*')::text)) STORED;
CREATE INDEX vault_records_folder ON vault_records (folder);
-- Fields have definitions now; until the vault was asked again, nothing is known of them.
DELETE FROM vault_said;
ALTER TABLE vault_said DROP COLUMN fields, ADD COLUMN definition jsonb NOT NULL DEFAULT '{"fields":[],"systemFields":[],"states":[],"steps":[],"mayDefine":false}';
-- A link is for several kinds, and has several addresses.
CREATE OR REPLACE FUNCTION pg_temp.with_links(schema jsonb) RETURNS jsonb LANGUAGE sql AS $$
  SELECT schema || jsonb_build_object('links', (SELECT coalesce(jsonb_agg(CASE WHEN l.link ? 'kind'
      THEN (l.link - 'kind') || jsonb_build_object('kinds', jsonb_build_array(l.link->'kind'), 'classes', '[]'::jsonb, 'at', jsonb_build_array(l.link->'at'), 'states', '[]'::jsonb, 'step', NULL)
      ELSE l.link END ORDER BY l.i), '[]') FROM jsonb_array_elements(coalesce(schema->'links', '[]')) WITH ORDINALITY AS l(link, i))) $$;
UPDATE editions SET schema = pg_temp.with_links(schema);
UPDATE discarded_drafts SET schema = pg_temp.with_links(schema);
UPDATE agreed_values SET leads_to = jsonb_build_array(leads_to);
-- Check-ins that have begun: where one breaks off, what became of it is found out afterwards.
CREATE TABLE vault_begun (
  file_id int PRIMARY KEY REFERENCES files ON DELETE CASCADE,
  entry_id int NOT NULL,
  version int NOT NULL,
  hash text,
  change_set_id int,
  user_id int NOT NULL REFERENCES users ON DELETE CASCADE,
  at timestamptz NOT NULL
);
-- Records changed from Rule, field by field, so that a change can be seen and taken back.
CREATE TABLE record_edits (id serial PRIMARY KEY, title text NOT NULL, user_id int REFERENCES users ON DELETE SET NULL, by_name text NOT NULL, at timestamptz NOT NULL, undone_at timestamptz);
CREATE TABLE record_edit_lines (
  edit_id int NOT NULL REFERENCES record_edits ON DELETE CASCADE,
  entry_id int NOT NULL,
  path text NOT NULL,
  field text NOT NULL,
  before text,
  after text,
  PRIMARY KEY (edit_id, entry_id, field)
);
`,
  },
  {
    name: '0023-runs-go-on',
    up: `
-- What a run has done file by file, so that a run that was interrupted goes on with the next file.
CREATE TABLE vault_run_files (
  job_id integer NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
  file_id integer NOT NULL,
  path text NOT NULL,
  outcome text NOT NULL,
  message text NOT NULL,
  version integer,
  PRIMARY KEY (job_id, file_id)
);

-- Definitions of blocks that go from one drawing into others, by the value that stands for them in a line.
CREATE TABLE carried_blocks (
  text text NOT NULL,
  name text NOT NULL,
  definition jsonb NOT NULL,
  PRIMARY KEY (text, name)
);

-- Files that are being written over where they stand, because something else would break: what they were, and what they become.
CREATE TABLE newest_begun (
  file_id integer PRIMARY KEY REFERENCES files (id) ON DELETE CASCADE,
  path text NOT NULL,
  old_hash text NOT NULL,
  new_hash text NOT NULL
);

ALTER TABLE files ADD COLUMN lock_by text, ADD COLUMN lock_since timestamptz;
UPDATE files f SET lock_by = CASE WHEN r.state = 'released' THEN nullif(r.state_by, 'vault') END,
  lock_since = CASE WHEN r.state = 'released' THEN r.state_at ELSE r.checked_out_at END
FROM vault_records r JOIN libraries l ON l.in_vault WHERE f.library_id = l.id AND f.path = r.path AND f.lock_reason IS NOT NULL;
`,
  },
  {
    // Finds the few files with remarks without opening the readings of all others.
    name: '0024-files-with-remarks',
    up: `
CREATE INDEX files_with_remarks ON files (id) WHERE NOT removed AND jsonb_array_length(reading->'problems') > 0;
`,
  },
  {
    // Outlines around placed blocks, and those of a drawing added up by layer.
    name: '0025-outlines',
    up: `
ALTER TABLE placed_blocks ADD COLUMN outlines jsonb;
ALTER TABLE sheets ADD COLUMN outlines jsonb;
`,
  },
  {
    name: '0026-lines-by-rule',
    up: `
ALTER TABLE change_lines ADD COLUMN by_rule boolean NOT NULL DEFAULT false;
-- Who asked for lines that wait in trays was not kept: they were judged when they were made.
UPDATE change_lines SET by_rule = true WHERE change_set_id IN (SELECT id FROM change_sets WHERE state = 'pending');
`,
  },
];

/** Storage for Umzug; migrations record themselves. */
const notes = (sequelize: Sequelize): UmzugStorage => ({
  executed: async () => {
    await sequelize.query('CREATE TABLE IF NOT EXISTS migrations (name varchar(255) PRIMARY KEY)');
    return (await sequelize.query<{ name: string }>('SELECT name FROM migrations ORDER BY name', { type: QueryTypes.SELECT })).map((row) => row.name);
  },
  logMigration: () => Promise.resolve(),
  unlogMigration: () => Promise.reject(new Error('Migrations are not taken back.')),
});

/**
 * Migrates the database to the latest layout, or to `to`. Each migration and its record are one transaction; of several servers, one does
 * it.
 * @throws Error if the database belongs to a newer version
 */
export async function migrate(sequelize: Sequelize, to?: string): Promise<void> {
  const storage = notes(sequelize);
  const known = new Set(MIGRATIONS.map(({ name }) => name));
  const umzug = new Umzug({
    migrations: MIGRATIONS.map(({ name, up }) => ({
      name,
      up: async () => {
        await sequelize.transaction(async (transaction) => {
          await sequelize.query(up, { transaction, raw: true });
          await sequelize.query('INSERT INTO migrations (name) VALUES ($1)', { bind: [name], transaction, raw: true });
        });
      },
    })),
    storage,
    logger: undefined,
  });
  await sequelize.transaction(async (transaction) => {
    await sequelize.query(TAKE_LOCK, { bind: [LOCKS.migrations], transaction, raw: true });
    const unknown = (await storage.executed({ context: undefined })).filter((name) => !known.has(name));
    if (unknown.length)
      throw new Error(
        `The database was made by a newer version of Rule (its last step is ${unknown.at(-1)}). Install that version; this one would not know what it does.`,
      );
    await umzug.up(to === undefined ? undefined : { to });
  });
}

/** Objects created by migrations, by kind. */
const MADE = /^CREATE (TABLE|VIEW|FUNCTION|SEQUENCE) (?:IF NOT EXISTS )?"?(\w+)/gm;

/** Drops everything Rule keeps in a database and starts empty. */
export async function beginAnew(sequelize: Sequelize): Promise<void> {
  const made = MIGRATIONS.flatMap(({ up }) => [...up.matchAll(MADE)].map(([, kind, name]) => `DROP ${kind} IF EXISTS "${name}" CASCADE`));
  await sequelize.transaction(async (transaction) => {
    for (const statement of [...made, 'DROP TABLE IF EXISTS migrations']) await sequelize.query(statement, { transaction, raw: true });
  });
  await migrate(sequelize);
}
