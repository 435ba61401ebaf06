package server

import "testing"

// Pictures, what is drawn on them and edits are work; asking how far something has come,
// over and over, is none, or a check that is waited for would never come.
func TestWork(t *testing.T) {
	for path, want := range map[string]bool{
		"/api/sources/s/views/12.jpg": true, "/api/sources/s/frames/12": true, "/api/shots/x/patches/3/7": true,
		"/api/shots/x/preview": true, "/api/shots/x/edits": true, "/api/shots/x/undo": true,
		"/api/shots/x/check": false, "/api/shots/x": false, "/api/sources/s": false, "/api/events": false,
		"/api/programmes/p/list": false, "/api/shots/x/attempts": false, "/": false,
	} {
		if got := work.MatchString(path); got != want {
			t.Errorf("%s counts as work: %v", path, got)
		}
	}
}
