package session_test

import (
	"encoding/json"
	"fmt"

	"celator/core/session"
)

// The browser asks by name, in JSON.
func ExampleSession_Answer() {
	s := session.New()
	ask := func(name, request string) {
		b, _ := json.Marshal(s.Answer(name, []byte(request)))
		fmt.Println(string(b))
	}
	ask("clock", `{"rate":{"num":25,"den":1},"start":"10:00:00:00","first":0}`)
	ask("timecode", `{"frame":30}`)
	ask("rows", `{}`)
	// Output:
	// {"value":{}}
	// {"value":"10:00:01:05"}
	// {"error":"no shot is open"}
}
