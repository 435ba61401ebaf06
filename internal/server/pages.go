package server

import (
	"fmt"
	"net/url"
)

// paged is a part of a long list. Where it goes on, Link (RFC 8288) names the next part.
type paged[T any] struct {
	Link string `header:"Link" doc:"the next part of the list, as rel=next; absent on the last"`
	Body []T
}

// page makes a part of a list of what was found for so large a limit; last names the
// place to go on from.
func page[T any](found []T, limit int, path, last string) *paged[T] {
	p := &paged[T]{Body: found}
	if len(found) >= limit {
		q := url.Values{"before": {last}, "limit": {fmt.Sprint(limit)}}
		p.Link = fmt.Sprintf("<%s?%s>; rel=\"next\"", path, q.Encode())
	}
	return p
}
