package schema

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/themes"
)

// The published schema is the one the types make; write it anew with
// nelko themes --schema > themes/theme.schema.json.
func TestPublishedSchemaIsCurrent(t *testing.T) {
	want, err := Theme()
	require.NoError(t, err)
	assert.Equal(t, string(want), string(themes.Schema))
}

// Every shipped theme holds to the schema, by an independent validator, and a
// misspelled field does not.
func TestShippedThemesHoldToTheSchema(t *testing.T) {
	s, err := jsonschema.UnmarshalJSON(bytes.NewReader(themes.Schema))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("theme.json", s))
	compiled, err := c.Compile("theme.json")
	require.NoError(t, err)
	files, err := filepath.Glob("../../themes/*/theme.json")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(files), 10)
	for _, f := range files {
		b, err := os.ReadFile(f)
		require.NoError(t, err)
		var v any
		require.NoError(t, json.Unmarshal(b, &v))
		assert.NoError(t, compiled.Validate(v), f)
		v.(map[string]any)["colour_scheme"] = "x"
		assert.Error(t, compiled.Validate(v), f)
	}
}
