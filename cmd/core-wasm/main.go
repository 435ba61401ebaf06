//go:build js && wasm

// Command core-wasm is the editing session for the browser: celatorCore(name, request)
// asks it, both and the reply being JSON texts (see core/session).
package main

import (
	"encoding/json"
	"syscall/js"

	"celator/core/session"
)

func main() {
	s := session.New()
	js.Global().Set("celatorCore", js.FuncOf(func(_ js.Value, args []js.Value) any {
		reply, err := json.Marshal(s.Answer(args[0].String(), []byte(args[1].String())))
		if err != nil { // a number that JSON has not
			return `{"error":"the core's answer cannot be written"}`
		}
		return string(reply)
	}))
	select {}
}
