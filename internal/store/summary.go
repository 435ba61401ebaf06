package store

import (
	"context"
	"encoding/json"
)

// Summary is how far a programme has come.
type Summary struct {
	Programme
	Shots  int             `db:"shots" json:"shots"`
	States json.RawMessage `db:"states" json:"-"`
	Severe int             `db:"severe" json:"severe" doc:"open severe findings"`
	Due    string          `db:"due" json:"due" doc:"the earliest day of what is not done; empty where there is none"`
	Source string          `db:"source" json:"source" doc:"of the first shot that can be shown, or empty"`
	Frame  int             `db:"frame" json:"frame" doc:"of that source, to be shown"`
}

// Counts are how many appearances of items are in each state.
func (s Summary) Counts() map[string]int {
	n := map[string]int{}
	if err := json.Unmarshal(s.States, &n); err != nil {
		return map[string]int{}
	}
	return n
}

// Summaries lists all programmes, the newest first.
func (s *Store) Summaries(ctx context.Context) (out []Summary, err error) {
	return out, s.db.SelectContext(ctx, &out, `
		SELECT p.*, (SELECT count(*) FROM shot WHERE programme = p.id) AS shots,
			coalesce((SELECT jsonb_object_agg(state, n) FROM (SELECT a.state, count(*) AS n FROM appearance a
				JOIN item i ON i.id = a.item WHERE i.programme = p.id GROUP BY a.state) c), '{}') AS states,
			(SELECT count(*) FROM finding f JOIN shot h ON h.id = f.shot WHERE h.programme = p.id AND f.state = 'open'
				AND f.severity = 'severe') AS severe,
			coalesce((SELECT min(i.due) FROM item i JOIN appearance a ON a.item = i.id WHERE i.programme = p.id
				AND i.due <> '' AND a.state NOT IN ('approved', 'waived')), '') AS due,
			coalesce(first.source, '') AS source, coalesce(first.frame, 0) AS frame
		FROM programme p LEFT JOIN LATERAL (
			SELECT h.source, h.first + least(20, coalesce(h.last, s.frames - 1) - h.first) AS frame FROM shot h
			JOIN source s ON s.id = h.source WHERE h.programme = p.id AND s.state = 'ready'
			ORDER BY h.position, s.created, h.first LIMIT 1
		) first ON true ORDER BY p.created DESC`)
}
