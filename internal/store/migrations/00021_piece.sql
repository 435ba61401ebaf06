-- +goose Up
-- Long sources are brought in in pieces, which workers share.
CREATE TABLE piece (
    source   text NOT NULL REFERENCES source ON DELETE CASCADE,
    number   integer NOT NULL,
    first    integer NOT NULL CHECK (first >= 0),
    last     integer NOT NULL CHECK (last >= first),
    done     integer NOT NULL DEFAULT 0 CHECK (done >= 0),
    finished boolean NOT NULL DEFAULT false,
    PRIMARY KEY (source, number)
);

-- +goose Down
DROP TABLE piece;
