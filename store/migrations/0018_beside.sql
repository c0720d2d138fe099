-- Who is asked for a verdict beside the holder of a leg and who in their place; queries that
-- came with a sign-off; formats whose pieces go out without words.

-- +goose Up
ALTER TABLE reviewer ADD COLUMN instead INTEGER NOT NULL DEFAULT 0; -- the holder of the leg gives no verdict then
UPDATE reviewer SET instead = 1 WHERE leg <> '';                    -- as it was until now
ALTER TABLE query ADD COLUMN note INTEGER NOT NULL DEFAULT 0;       -- it came with a sign-off
ALTER TABLE format ADD COLUMN wordless INTEGER NOT NULL DEFAULT 0;  -- its pieces need no words

-- +goose Down
ALTER TABLE reviewer DROP COLUMN instead;
ALTER TABLE query DROP COLUMN note;
ALTER TABLE format DROP COLUMN wordless;
