package server

import (
	"context"
	"net/http"
	"net/url"
	"strings"
	"unicode"
	"unicode/utf8"
)

// nameHeader says who asks: a name in UTF-8, percent-encoded.
const nameHeader = "Celator-Name"

// nobody is the name of who gives none.
const nobody = "Editor"

// longestName is the most of a name that is taken, in characters.
const longestName = 200

type identityKey struct{}

// identity reads who asks. There is no sign-in yet: a browser has one name, which its
// changes, decisions and looks carry alike, and which it is believed. That guards against
// mistakes, not against somebody who gives another name.
func identity(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		given := r.Header.Get(nameHeader)
		if given == "" {
			next.ServeHTTP(w, r)
			return
		}
		name, err := url.PathUnescape(given)
		name = strings.TrimSpace(name)
		odd := func(c rune) bool { return unicode.IsControl(c) || c == utf8.RuneError }
		if err != nil || strings.ContainsFunc(name, odd) || utf8.RuneCountInString(name) > longestName {
			refuse(w, http.StatusBadRequest, "The name of who asks is too long, or holds characters that no name has.")
			return
		}
		if name != "" {
			r = r.WithContext(context.WithValue(r.Context(), identityKey{}, name))
		}
		next.ServeHTTP(w, r)
	})
}

// asker returns the name of who asks.
func asker(ctx context.Context) string {
	if name, ok := ctx.Value(identityKey{}).(string); ok {
		return name
	}
	return nobody
}
