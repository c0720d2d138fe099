-- +goose Up
ALTER TABLE desk ADD COLUMN dates_locked INTEGER NOT NULL DEFAULT 0;  -- only leads change dates
ALTER TABLE piece ADD COLUMN topic_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE piece ADD COLUMN campaign_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE piece ADD COLUMN priority INTEGER NOT NULL DEFAULT 0;     -- 2 first, 1 high, 0 usual, -1 can wait
ALTER TABLE piece ADD COLUMN tags TEXT NOT NULL DEFAULT '';           -- in order, with commas
ALTER TABLE leg ADD COLUMN turn INTEGER NOT NULL DEFAULT 0;           -- its place in the desk's order, 0 for none
CREATE INDEX piece_in_campaign ON piece (campaign_id) WHERE campaign_id <> 0;

CREATE TABLE topic (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  name TEXT NOT NULL,
  target INTEGER NOT NULL DEFAULT 0,   -- pieces in four weeks
  retired INTEGER NOT NULL DEFAULT 0
) STRICT;

CREATE TABLE campaign (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  name TEXT NOT NULL,
  goal TEXT NOT NULL DEFAULT '',
  from_day INTEGER NOT NULL DEFAULT 0,
  to_day INTEGER NOT NULL DEFAULT 0,
  target INTEGER NOT NULL DEFAULT 0,   -- pieces
  retired INTEGER NOT NULL DEFAULT 0
) STRICT;

-- A way of looking at the pieces, kept under a name.
CREATE TABLE view (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  owner INTEGER NOT NULL DEFAULT 0,    -- whose it is; 0 is the desk's
  name TEXT NOT NULL,
  page TEXT NOT NULL,                  -- lineup, track, load or pieces
  query TEXT NOT NULL,                 -- what is in the address
  locked INTEGER NOT NULL DEFAULT 0    -- only leads change it
) STRICT;
CREATE INDEX view_of_desk ON view (desk_id, owner);

CREATE INDEX undo_of_actor ON undo (actor, id);

-- The newest copies by word.
CREATE VIRTUAL TABLE copy_words USING fts5 (words, tokenize = 'unicode61 remove_diacritics 2');
-- +goose StatementBegin
CREATE TRIGGER copy_words_add AFTER INSERT ON copy BEGIN
  DELETE FROM copy_words WHERE rowid = new.piece_id;
  INSERT INTO copy_words (rowid, words) VALUES (new.piece_id,
    (SELECT group_concat(json_extract(value, '$.insert'), '') FROM json_each(new.text) WHERE json_type(value, '$.insert') = 'text'));
END;
-- +goose StatementEnd
INSERT INTO copy_words (rowid, words) SELECT copy.piece_id,
    (SELECT group_concat(json_extract(value, '$.insert'), '') FROM json_each(copy.text) WHERE json_type(value, '$.insert') = 'text')
  FROM copy JOIN piece ON piece.id = copy.piece_id AND piece.copy_version = copy.version;

-- Lists are sorted and titles found in memory.
DROP TRIGGER piece_title_add;
DROP TRIGGER piece_title_change;
DROP TABLE piece_title;
DROP INDEX piece_by_title;
DROP INDEX piece_by_holders;
DROP INDEX piece_by_next_due;

-- +goose Down
CREATE VIRTUAL TABLE piece_title USING fts5 (title, content = 'piece', content_rowid = 'id', tokenize = 'trigram');
DROP TRIGGER copy_words_add; DROP TABLE copy_words; DROP INDEX undo_of_actor; DROP TABLE view; DROP TABLE campaign; DROP TABLE topic; DROP INDEX piece_in_campaign;
ALTER TABLE leg DROP COLUMN turn; ALTER TABLE piece DROP COLUMN tags; ALTER TABLE piece DROP COLUMN priority;
ALTER TABLE piece DROP COLUMN campaign_id; ALTER TABLE piece DROP COLUMN topic_id; ALTER TABLE desk DROP COLUMN dates_locked;
