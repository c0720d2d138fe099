-- Which pictures the copy of a piece may hold: those that were put into it, and those that
-- came with the copy of the piece of which it is another edition.

-- +goose Up
CREATE TABLE picture (
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  file_id INTEGER NOT NULL REFERENCES file(id),
  PRIMARY KEY (piece_id, file_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX picture_by_file ON picture (file_id);

INSERT INTO picture (piece_id, file_id)
SELECT piece_id, id FROM file WHERE piece_id <> 0 AND request_id = 0 AND type LIKE 'image/%' AND id NOT IN (
  SELECT file_id FROM candidate UNION SELECT file_id FROM finding UNION SELECT file_id FROM answer UNION SELECT file_id FROM attachment_version);

INSERT OR IGNORE INTO picture (piece_id, file_id)
SELECT copy.piece_id, file.id FROM copy
  JOIN json_each(copy.text) AS step
  JOIN piece ON piece.id = copy.piece_id
  JOIN file ON file.id = CAST(json_extract(step.value, '$.insert.picture') AS INTEGER)
WHERE file.type LIKE 'image/%' AND file.piece_id IN (piece.id, piece.from_piece);

-- +goose Down
DROP TABLE picture;
