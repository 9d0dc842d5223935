package picturestest

import (
	"bytes"
	"encoding/xml"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// pictures are all there are, with a word that stands in each, of the demo.
var pictures = map[string]struct {
	args []string
	has  string
}{
	"wires":    {[]string{"wires"}, "quay-core"},
	"one":      {[]string{"wires", "mole"}, "mole-rtr"},
	"subnets":  {[]string{"subnets"}, "10.48."},
	"path":     {[]string{"path", "desk-7", "tern-cam"}, "tern-cam"},
	"failures": {[]string{"failures"}, "quay-edge"},
	"blocks":   {[]string{"blocks"}, "10.48.0.0/20"},
	"vlan":     {[]string{"vlan", "110"}, "quay-sw1"},
}

// Every picture is written in every form, whole, and the same each time; as SVG it is text that can be
// found, with a title and a description for who cannot see it.
func TestEveryPictureInEveryForm(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	for name, p := range pictures {
		for _, ending := range []string{".svg", ".png", ".pdf"} {
			file := name + ending
			r := run(t, dir, append(append([]string{"draw"}, p.args...), "-w", file)...)
			require.Equal(t, 0, r.Code, "%s: %s", file, r.Err)
			assert.Contains(t, r.Out, "in "+file, "it is said where it is")
			first, err := os.ReadFile(filepath.Join(dir, file))
			require.NoError(t, err)
			require.Equal(t, 0, run(t, dir, append(append([]string{"draw"}, p.args...), "-w", file)...).Code)
			again, err := os.ReadFile(filepath.Join(dir, file))
			require.NoError(t, err)
			assert.True(t, bytes.Equal(first, again), "%s is another each time", file)
			switch ending {
			case ".svg":
				text, title, description := "", "", ""
				d := xml.NewDecoder(bytes.NewReader(first))
				within := ""
				for {
					token, err := d.Token()
					if err == io.EOF {
						break
					}
					require.NoError(t, err, file)
					switch x := token.(type) {
					case xml.StartElement:
						within = x.Name.Local
					case xml.CharData:
						switch within {
						case "title":
							title += string(x)
						case "desc":
							description += string(x)
						case "style":
						default:
							text += string(x) + "\n"
						}
					}
				}
				assert.NotEmpty(t, strings.TrimSpace(title), file)
				assert.NotEmpty(t, strings.TrimSpace(description), file)
				assert.Contains(t, text, p.has, file)
			case ".png":
				image, err := png.Decode(bytes.NewReader(first))
				require.NoError(t, err, file)
				assert.Greater(t, image.Bounds().Dx(), 300)
			case ".pdf":
				assert.True(t, bytes.HasPrefix(first, []byte("%PDF-")), file)
				assert.Contains(t, string(first[max(0, len(first)-32):]), "%%EOF", file)
			}
		}
	}
}

// What cannot be drawn is refused in a word, and no file is there then.
func TestPicturesThatCannotBeDrawn(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	for line, want := range map[string]string{
		"cables":                           "there is no picture cables; there are wires, subnets, path, failures, blocks, vlan",
		"wires -w x.txt":                   "a picture ends in .svg, .png or .pdf",
		"wires nobody -w x.svg":            "nobody",
		"vlan 4000 -w x.svg":               "there is no VLAN 4000",
		"vlan -w x.svg":                    "vlan",
		"path desk-7 nobody -w x.svg":      "nobody",
		"path desk-7 10.300.0.1 -w x.svg":  "10.300.0.1",
		"failures --without c99 -w x.svg":  "c99",
		"wires -w no/such/folder/x.svg":    "no/such/folder",
		"path a b c d -w x.svg":            "path",
		"subnets --observed gone -w x.svg": "gone",
	} {
		r := run(t, dir, append([]string{"draw"}, strings.Fields(line)...)...)
		assert.NotEqual(t, 0, r.Code, line)
		assert.Contains(t, r.Out+r.Err, want, line)
		assert.NoFileExists(t, filepath.Join(dir, "x.svg"), line)
		assert.NoFileExists(t, filepath.Join(dir, "x.txt"), line)
	}
}

// A path is drawn as it is, before and after a failure, side by side, and as it was found.
func TestAPathIsDrawnBesideItself(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	read := func(name string) string {
		text, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		return string(text)
	}
	r := run(t, dir, "draw", "path", "desk-7", "tern-cam", "-w", "whole.svg")
	require.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "desk-7 reaches tern-cam in IPv4")
	r = run(t, dir, "draw", "path", "desk-7", "tern-cam", "--without", "beam-b", "-w", "cut.svg")
	require.Equal(t, 0, r.Code, r.Err)
	assert.Greater(t, strings.Count(read("cut.svg"), "tern-rock"), strings.Count(read("whole.svg"), "tern-rock"), "both are there")
	require.Equal(t, 0, run(t, dir, "observe", "bad-morning/seen", "-w", "observed").Code)
	r = run(t, dir, "draw", "path", "desk-7", "tern-cam", "--observed", "observed", "-w", "found.svg")
	assert.Contains(t, r.Out, "before: desk-7 reaches tern-cam in IPv4; after: desk-7 does not reach tern-cam in IPv4", r.Err)
	assert.Contains(t, read("found.svg"), "does not reach")
	r = run(t, dir, "draw", "path", "desk-7", "tern-cam", "--text")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "tern-cam")
	r = run(t, dir, "draw", "path", "desk-7", "tern-cam", "-6", "--text")
	assert.Contains(t, r.Out, "2001:db8:")
}
