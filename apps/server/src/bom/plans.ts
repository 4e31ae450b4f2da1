import { HELD } from '../library/readings';

/** Numbers of an assembly and all files below it. The recursion stops at cycles. */
const REACHED = `WITH RECURSIVE below(id) AS (SELECT $1::int UNION SELECT c.part_id FROM below b JOIN copies c ON c.assembly_id = b.id WHERE c.part_id IS NOT NULL)`;

/** An assembly and all files below it, as one JSON list: the driver parses rows slowly. */
export const BELOW = `${REACHED}
  SELECT json_agg(json_build_array(f.id, f.path, f.kind, f.hash, f.mtime_ms, f.class_id, c.name, CASE
        WHEN f.kind = 'assembly' THEN f.reading->'structure' END)) AS list
  FROM below b JOIN files f ON f.id = b.id LEFT JOIN classes c ON c.id = f.class_id WHERE NOT f.removed`;

/** Part files behind copies in the same assemblies, as one JSON list. Asks for itself which they are, so that both are read at once. */
export const MATCHES = `${REACHED}
  SELECT json_agg(json_build_array(c.assembly_id, c.product, c.match)) AS list
  FROM below b JOIN files f ON f.id = b.id AND f.kind = 'assembly' AND NOT f.removed JOIN copies c ON c.assembly_id = b.id`;

/** Findings for properties of files and their holders. */
export const FINDINGS = `SELECT file_id AS file, holder, property_id AS property, code, message, wanted FROM findings
  WHERE file_id = ANY($1::int[]) AND property_id = ANY($2::int[]) ORDER BY code = 'required' DESC`;

/** Values held by assemblies' own copies of parts. */
export const COPY_VALUES = `SELECT v.file_id AS assembly, substr(v.holder, 6) AS product, s.property, ${HELD} AS held
  FROM jsonb_to_recordset($2::jsonb) AS s(property int, place text, name text)
  JOIN held_values v ON v.file_id = ANY($1::int[]) AND v.place = s.place AND v.name = s.name AND starts_with(v.holder, 'copy:')`;

/** Bodies of parts in the order of the file. */
export const BODIES = `SELECT file_id AS file, key, label FROM holders WHERE file_id = ANY($1::int[]) AND level = 'body' ORDER BY file_id, position, key`;

/** Measured solids of parts. */
export const SOLIDS = `SELECT fs.file_id AS file, s.result->'bodies' AS bodies, cardinality(s.body_pictures) AS pictures
  FROM file_shapes fs JOIN shapes s ON s.hash = fs.hash JOIN files f ON f.id = fs.file_id
  WHERE fs.file_id = ANY($1::int[]) AND fs.product = f.reading->'structure'->'roots'->>0 AND s.result IS NOT NULL`;

/** Files that have a picture. */
export const PICTURED = `SELECT DISTINCT fs.file_id AS file FROM file_shapes fs JOIN shapes s ON s.hash = fs.hash WHERE fs.file_id = ANY($1::int[]) AND s.picture IS NOT NULL`;

/** Pictures of files, one each. */
export const PICTURES = `SELECT DISTINCT ON (fs.file_id) fs.file_id AS file, s.picture FROM file_shapes fs JOIN shapes s ON s.hash = fs.hash JOIN files f ON f.id = fs.file_id
  WHERE fs.file_id = ANY($1::int[]) AND s.picture IS NOT NULL
  ORDER BY fs.file_id, fs.product = '' DESC, fs.product = f.reading->'structure'->'roots'->>0 DESC`;

/** Values inherited from the assembly's project, drawing set and company, by property. */
export const ABOVE = `SELECT p.property, v.text, v.form, v.unit FROM files f, jsonb_to_recordset($2::jsonb) AS p(property int, name text, level text)
  JOIN wide_holders w ON w.level = p.level AND NOT w.removed
  JOIN beside_values v ON v.file_id = -w.id AND v.name = p.name
  WHERE f.id = $1 AND (w.level = 'company' OR w.id IN (f.project_id, f.set_id))`;

/** Every assembly above a file, with what it places and how often. */
export const USES = `WITH RECURSIVE above(id) AS (SELECT $1::int UNION SELECT c.assembly_id FROM above a JOIN copies c ON c.part_id = a.id
  JOIN files f ON f.id = c.assembly_id AND NOT f.removed)
  SELECT c.assembly_id AS assembly, c.part_id AS part, sum(o.times)::int AS times
  FROM copies c JOIN files f ON f.id = c.assembly_id AND NOT f.removed
  CROSS JOIN LATERAL (SELECT count(*)::int AS times FROM jsonb_array_elements(f.reading->'structure'->'occurrences') o
      WHERE o->>'child' = c.product AND o->>'parent' = ANY(SELECT jsonb_array_elements_text(f.reading->'structure'->'roots'))) o
  WHERE c.part_id IN (SELECT id FROM above) AND o.times > 0 GROUP BY 1, 2 ORDER BY 1, 2`;

/** A saved layout. */
export const LAYOUT_ROW = `l.id, l.name, l.purpose, l.shared, l.content, l.version, coalesce(u.display_name, '') AS "by", coalesce(l.user_id = $1, false) AS mine`;

/** A kept list without its content. */
export const KEPT_ROW = `k.id, k.title, k.assembly_id AS assembly, k.path, k.layout, k.edition, k.at, k.by_name AS "by", jsonb_array_length(k.content->'lines') AS rows`;

/** Sheets of drawings that show an assembly, with what is known of their paper and views. */
export const SHEETS_SHOWING = `SELECT f.id AS file, f.path, f.lock_reason AS lock, s.layout, s.unit, s.width, s.height, f.reading->>'nextHandle' AS next,
    (SELECT e->'views' FROM jsonb_array_elements(f.reading->'sheets') e WHERE e->>'layout' = s.layout LIMIT 1) AS views,
    (SELECT count(*)::int FROM change_lines l JOIN change_sets c ON c.id = l.change_set_id
        WHERE l.file_id = f.id AND l.place IN ('placed', 'block') AND c.state = 'pending' AND c.user_id = $2) AS pending,
    (SELECT count(*)::int FROM change_lines l JOIN change_sets c ON c.id = l.change_set_id JOIN placed_blocks b ON b.file_id = l.file_id AND b.holder = l.holder
      WHERE l.file_id = f.id AND l.place = 'cell' AND b.family = ANY($3::text[]) AND c.state = 'pending' AND c.user_id = $2) AS texts
  FROM files f JOIN sheets s ON s.file_id = f.id LEFT JOIN sheet_models m ON m.file_id = f.id AND m.layout = s.layout
  WHERE NOT f.removed AND coalesce(m.model_file_id, f.model_file_id) = $1 AND s.layout <> 'model' ORDER BY f.path, s.position, s.layout`;

/** Blocks that are placed on sheets of drawings, with their texts. */
export const BLOCKS_OF_SHEETS = `SELECT b.file_id AS file, b.layout, b.holder, b.family,
    coalesce(jsonb_object_agg(v.name, v.text) FILTER (WHERE v.place = 'cell'), '{}') AS texts,
    min(v.text) FILTER (WHERE v.place = 'placed') AS placed, (count(*) FILTER (WHERE v.place = 'cell'))::int AS cells
  FROM placed_blocks b JOIN held_values v ON v.file_id = b.file_id AND v.holder = b.holder AND v.place IN ('cell', 'placed')
  WHERE b.file_id = ANY($1::int[]) AND b.inside IS NULL GROUP BY b.file_id, b.layout, b.holder, b.family ORDER BY b.file_id, b.layout, b.holder`;

/** Blocks with cells that drawings define. */
export const KNOWN_BLOCKS = `SELECT DISTINCT ON (lower(d.definition->>'name')) d.definition->>'name' AS name,
    (SELECT coalesce(jsonb_agg(c->>'tag'), '[]') FROM jsonb_array_elements(d.definition->'cells') c
        WHERE NOT coalesce((c->>'constant')::boolean, false)) AS tags
  FROM block_definitions d WHERE jsonb_array_length(d.definition->'cells') > 0 AND NOT starts_with(d.definition->>'name', '*')
    AND NOT coalesce((d.definition->'cells'->0->>'plain')::boolean, false)
  ORDER BY lower(d.definition->>'name'), d.hash LIMIT 1000`;

/** Known rows of item marks. */
export const KNOWN_MARKS = `SELECT file_id AS file, holder, "row" FROM mark_rows WHERE layout_id = $1 AND assembly_id = $2 AND file_id = ANY($3::int[])`;
