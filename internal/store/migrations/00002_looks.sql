-- +goose Up
-- That somebody looked at a cover on a frame and found it right; the digest is
-- of what decided the cover's pixels then, so that a later change shows.
CREATE TABLE look (
    shot   text NOT NULL REFERENCES shot ON DELETE CASCADE,
    cover  text NOT NULL,
    frame  integer NOT NULL,
    digest text NOT NULL,
    author text NOT NULL,
    at     timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (shot, cover, frame)
);

-- +goose Down
DROP TABLE look;
