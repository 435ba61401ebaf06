package server

import (
	"fmt"
	"net/http"
	"reflect"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"celator/core/cover"
	"celator/core/session"
)

func contract() huma.Config {
	huma.DefaultArrayNullable = false // answers have empty lists, never null
	c := huma.DefaultConfig("Celator", "1")
	c.OpenAPIPath, c.DocsPath, c.SchemasPath = "/api/openapi", "", "/api/schemas"
	c.CreateHooks = nil // no $schema member in answers
	c.Info.Description = "Everything the interface does. Documents are described by document.schema.json as well; " +
		"errors are RFC 9457 problems whose detail is written for people."
	c.Components.Schemas.RegisterTypeAlias(reflect.TypeOf(cover.Value{}), reflect.TypeOf(valueSchema{}))
	c.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[cover.Ease](), reflect.TypeFor[easeSchema]())
	c.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[cover.Shape](), reflect.TypeFor[shapeSchema]())
	c.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[cover.Kind](), reflect.TypeFor[kindSchema]())
	c.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[cover.Commands](), reflect.TypeFor[commandsSchema]())
	return c
}

// The words that some of the core's types are made of.
type (
	easeSchema  struct{}
	shapeSchema struct{}
	kindSchema  struct{}
)

func oneOf[T ~string](words ...T) *huma.Schema {
	s := &huma.Schema{Type: huma.TypeString}
	for _, w := range words {
		s.Enum = append(s.Enum, string(w))
	}
	return s
}

func (easeSchema) Schema(huma.Registry) *huma.Schema {
	return oneOf(cover.Even, cover.Held, cover.Eased)
}

func (shapeSchema) Schema(huma.Registry) *huma.Schema {
	return oneOf(cover.ShapeBox, cover.ShapeEllipse, cover.ShapeCorners, cover.ShapePath)
}

func (kindSchema) Schema(huma.Registry) *huma.Schema {
	var all []cover.Kind
	for _, k := range cover.Kinds {
		all = append(all, k.Kind)
	}
	return oneOf(all...)
}

// valueSchema describes cover.Value: a number, or keys.
type valueSchema struct{}

func (valueSchema) Schema(r huma.Registry) *huma.Schema {
	keys := r.Schema(reflect.TypeOf([]cover.ValueKey{}), true, "")
	return &huma.Schema{OneOf: []*huma.Schema{
		{Type: huma.TypeNumber},
		{
			Type: huma.TypeObject, Properties: map[string]*huma.Schema{"keys": keys}, Required: []string{"keys"},
			AdditionalProperties: false,
		},
	}}
}

// OpenAPI returns the contract as JSON.
func OpenAPI() ([]byte, error) {
	r := chi.NewRouter()
	api := humachi.New(r, contract())
	(&server{}).register(api)
	return api.OpenAPI().MarshalJSON()
}

// BrowserCore returns what can be asked of the core in the browser, as a contract of the
// same form: a path for each call. The client's types of it are made from that.
func BrowserCore() ([]byte, error) {
	c := contract()
	c.Info.Title, c.Info.Description = "Celator's core in the browser", "Each path is a call of core/session."
	schema := func(t reflect.Type, name string) map[string]*huma.MediaType {
		return map[string]*huma.MediaType{"application/json": {Schema: c.Components.Schemas.Schema(t, true, name)}}
	}
	c.Paths = map[string]*huma.PathItem{}
	for _, call := range session.Calls {
		c.Paths["/"+call.Name] = &huma.PathItem{Post: &huma.Operation{
			OperationID: call.Name, Summary: call.Doc,
			RequestBody: &huma.RequestBody{Required: true, Content: schema(call.Request, call.Name+"Request")},
			Responses: map[string]*huma.Response{
				"200": {Description: http.StatusText(200), Content: schema(call.Answer, call.Name+"Answer")},
			},
		}}
	}
	return c.OpenAPI.MarshalJSON()
}

// commandsSchema describes cover.Commands: each a tagged union, told apart by "do". It is
// made from the kinds that the core lists, so that the contract, and the client's types
// that are made from it, cannot differ from what the core takes.
type commandsSchema struct{}

func (commandsSchema) Schema(r huma.Registry) *huma.Schema {
	one := &huma.Schema{Discriminator: &huma.Discriminator{PropertyName: "do", Mapping: map[string]string{}}}
	for _, k := range cover.CommandKinds {
		tag := fmt.Sprintf(`json:"do" enum:%q doc:%q`, k.Do, k.Doc)
		fields := []reflect.StructField{{Name: "Do", Type: reflect.TypeFor[string](), Tag: reflect.StructTag(tag)}}
		for i := range k.Type.NumField() {
			fields = append(fields, k.Type.Field(i))
		}
		ref := r.Schema(reflect.StructOf(fields), true, k.Type.Name())
		one.OneOf = append(one.OneOf, ref)
		one.Discriminator.Mapping[k.Do] = ref.Ref
	}
	return &huma.Schema{Type: huma.TypeArray, Items: one}
}
