package files

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestReadTable(t *testing.T) {
	rows, err := ReadTable(strings.NewReader("\ufeffName, HOSTS ,other\n# a remark\n a , 3,x\n\"b \"\"c\"\"\",4\n"), "f.csv",
		[]string{"name", "hosts"}, []string{"note"})
	require.NoError(t, err)
	require.Len(t, rows, 2)
	assert.Equal(t, map[string]string{"name": "a", "hosts": "3"}, rows[0].Fields)
	assert.Equal(t, "f.csv:3: ", rows[0].Where)
	assert.Equal(t, "f.csv:3:6: ", rows[0].In("hosts"))
	assert.Equal(t, "f.csv:3: ", rows[0].In("note"), "it has no such column")
	assert.Equal(t, "f.csv:4:", rows[1].In("hosts")[:8])
	assert.Equal(t, `b "c"`, rows[1].Fields["name"])
	for text, want := range map[string]string{
		"":                  "f.csv: there is no header; its first line names the columns name and hosts",
		"name,count\n":      "f.csv:1: the header has name, count, and no columns called name and hosts",
		"name,x,hosts\na\n": "f.csv:2: the row has 1 of the header's 3 fields",
		"name,hosts\n\"a":   "f.csv: ",
	} {
		_, err := ReadTable(strings.NewReader(text), "f.csv", []string{"name", "hosts"}, nil)
		assert.ErrorContains(t, err, want)
	}
}

// Whatever a CSV file holds, reading it ends, with rows that have every needed
// column or an error that names the file.
func FuzzReadTable(f *testing.F) {
	f.Add("name,hosts\na,3\n")
	f.Add("hosts;name\n\"")
	f.Fuzz(func(t *testing.T, text string) {
		rows, err := ReadTable(strings.NewReader(text), "f", []string{"name"}, []string{"hosts"})
		if err != nil {
			require.True(t, strings.HasPrefix(err.Error(), "f:"), err)
			return
		}
		for _, r := range rows {
			_, ok := r.Fields["name"]
			require.True(t, ok)
		}
	})
}
