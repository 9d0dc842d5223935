package sheet_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/internal/sheet"
)

var fields = []sheet.Field{
	{Name: "name", Words: []string{"name", "network", "purpose"}},
	{Name: "prefix", Words: []string{"prefix", "network", "subnet"}, Fits: func(c string) bool { return strings.Count(c, ".") == 3 }},
	{Name: "vlan", Words: []string{"vlan", "vlanid"}},
	{Name: "site", Words: []string{"site", "location"}, Fill: true},
}

// Headings by words, by what stands in the column, and told where they are not the plain ones.
func TestHeadingsOfTheirOwn(t *testing.T) {
	for _, tt := range []struct {
		about, text string
		want        []map[string]string
		told        []string
	}{
		{"as it is wanted", "name,vlan\na,1\n", []map[string]string{{"name": "a", "vlan": "1"}}, nil},
		{"semicolons, a mark in front, and a blank line", "\xef\xbb\xbfname;VLAN ID\n\na ;1\n;;\n",
			[]map[string]string{{"name": "a", "vlan": "1"}}, []string{"columns are parted by semicolons",
				"the column 'VLAN ID' is taken for the vlan"}},
		{"tabs, and blanks that mean as above", "Location\tname\nNorth\ta\n\tb\n",
			[]map[string]string{{"site": "North", "name": "a"}, {"site": "North", "name": "b"}},
			[]string{"columns are parted by tabs", "the column 'Location' is taken for the site",
				"1 blank cell of the column 'Location' is as the row above has it"}},
		{"a network is a subnet where subnets stand in it", "Network,Purpose\n10.1.0.0,a\n",
			[]map[string]string{{"prefix": "10.1.0.0", "name": "a"}},
			[]string{"the column 'Purpose' is taken for the name", "the column 'Network' is taken for the prefix"}},
		{"and a name where names do", "Network\nstaff\n", []map[string]string{{"name": "staff"}},
			[]string{"the column 'Network' is taken for the name"}},
		{"by what stands in it", "name,IP\na,10.1.0.0\nb,\n",
			[]map[string]string{{"name": "a", "prefix": "10.1.0.0"},
				{"name": "b", "prefix": ""}}, []string{"the column 'IP' is taken for the prefix, by what stands in it"}},
		{"what is none of them is told", "name,Owner,empty\na,me,\n", []map[string]string{{"name": "a"}},
			[]string{"the column 'Owner' is not used", "the column 'empty' is not used"}},
		{"rows of other lengths", "name,vlan\na\nb,2,3\n", []map[string]string{{"name": "a"}, {"name": "b", "vlan": "2"}}, nil},
	} {
		t.Run(tt.about, func(t *testing.T) {
			s, err := sheet.Read([]byte(tt.text), fields, nil)
			require.NoError(t, err)
			var got []map[string]string
			for _, r := range s.Rows {
				got = append(got, r.Fields)
			}
			for i := range got {
				for _, f := range []string{"site", "prefix"} {
					if got[i][f] == "" && tt.want[i][f] == "" {
						delete(got[i], f)
						delete(tt.want[i], f)
					}
				}
			}
			assert.Equal(t, tt.want, got)
			assert.Equal(t, tt.told, s.Told)
		})
	}
}

func TestASheetWithoutRows(t *testing.T) {
	for _, text := range []string{"", "name,vlan\n", "\n\n", "name\n,\n"} {
		_, err := sheet.Read([]byte(text), fields, nil)
		assert.ErrorIs(t, err, sheet.ErrNoRows, "%q", text)
	}
}

func TestSafeNames(t *testing.T) {
	for words, want := range map[string]string{"Guest WiFi": "guest-wifi", "  Přístav / Žižkov ": "přístav-žižkov", "a_b.c": "a_b.c",
		"--": "", "(Lab 2)": "lab-2"} {
		assert.Equal(t, want, sheet.SafeName(words), words)
	}
}

func TestCellsHaveTheirPlaces(t *testing.T) {
	s, err := sheet.Read([]byte("# ours\nname;vlan\na;1\n bb; 2\n"), fields, nil)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 3, 4, 6}, []int{s.Rows[0].Line, s.Rows[0].Column("vlan"), s.Rows[1].Line, s.Rows[1].Column("vlan")})
	assert.Equal(t, 1, s.Rows[0].Column("site"))
}

// A quote that is never closed does not swallow what follows.
func TestAQuoteThatIsNotClosed(t *testing.T) {
	_, err := sheet.Read([]byte("name,vlan\n\"a,1\nb,2\n"), fields, nil)
	assert.ErrorContains(t, err, "line 2")
}

// What no heading and no cell tells is asked, of what is left; what is answered is used.
func TestColumnsAreAsked(t *testing.T) {
	var asked []string
	ask := func(heading, cell string, free []string) string {
		asked = append(asked, heading+" "+cell+" "+strings.Join(free, ","))
		return map[string]string{"label": "name", "len": "nothing such"}[heading]
	}
	fields := []sheet.Field{{Name: "name", Words: []string{"name"}}, {Name: "vlan", Words: []string{"vlan"}},
		{Name: "number", Words: []string{"number"}, Fits: func(c string) bool { return c == "7" }}}
	s, err := sheet.Read([]byte("label,len,x,empty\n,24,7,\nOffice,25,7,\n"), fields, ask)
	require.NoError(t, err)
	assert.Equal(t, []string{"label Office name,vlan", "len 24 vlan"}, asked, "what tells itself is not asked")
	assert.Equal(t, "Office", s.Rows[1].Fields["name"])
	assert.Equal(t, []string{"the column 'x' is taken for the number, by what stands in it", "the column 'len' is not used",
		"the column 'empty' is not used"}, s.Told)
}
