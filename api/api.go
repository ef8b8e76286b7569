// Package api holds the contract: the OpenAPI file from which the server, the
// Go client and the console's types are generated.
package api

import _ "embed"

// OpenAPI is the contract as YAML.
//
//go:embed openapi.yaml
var OpenAPI []byte

// RoutineSchema is the JSON Schema of the routine document.
//
//go:embed routine.schema.json
var RoutineSchema []byte
