package server

import (
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/cover"
)

// usual is the largest body of a request, in bytes, where largest names no other.
const usual = 1 << 20

// largest are the routes that take more, by their operation. A document's commands may
// carry a whole cover; a replaced document its poses and mattes as well; a list is quoted
// in JSON, which doubles it at worst.
var largest = map[string]int64{
	"editShot":        cover.MaxBytes + usual,
	"previewPatch":    cover.MaxBytes + usual,
	"showsThrough":    cover.MaxBytes + usual,
	"replaceDocument": 2*cover.MaxBytes + usual,
	"importTrack":     cover.MaxBytes,
	"importList":      2*maxList + usual,
	"looked":          8 << 20,
	"setBoundaries":   4 << 20,
	"cutShots":        4 << 20,
	"changeRows":      4 << 20,
	"addGraphic":      cover.MaxGraphic,
	"seekPicture":     cover.MaxGraphic,
}

// maxList is the longest list that is imported, in bytes.
const maxList = 16 << 20

// op describes a route. Its limit is part of the contract.
func op(id, method, path, summary string, status int) huma.Operation {
	o := huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, DefaultStatus: status}
	if method == http.MethodPost || method == http.MethodPut {
		limit := int64(usual)
		if n, ok := largest[id]; ok {
			limit = n
		}
		o.MaxBodyBytes = limit + 1 // the framework refuses what reaches it
		o.Extensions = map[string]any{bodyLimit: limit}
		o.Responses = map[string]*huma.Response{"413": {Description: fmt.Sprintf("The body is larger than %d bytes.", limit)}}
	}
	return o
}

// bodyLimit is the member of an operation in the contract that tells its limit.
const bodyLimit = "x-max-body-bytes"

// onlyBodies takes the limits of routes without a body out of the contract.
func onlyBodies(api huma.API) {
	for _, path := range api.OpenAPI().Paths {
		for _, o := range []*huma.Operation{path.Post, path.Put} {
			if o != nil && o.RequestBody == nil {
				delete(o.Extensions, bodyLimit)
				delete(o.Responses, "413")
			}
		}
	}
}
