package live

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhatIsNestedTooDeep(t *testing.T) {
	assert.True(t, isTooDeep([]byte(strings.Repeat("<a>", mostDepth+1))))
	assert.True(t, isTooDeep([]byte(strings.Repeat(`<a b="/>">`, mostDepth+1))))
	for _, text := range []string{
		"", "<", "<a", strings.Repeat("<a></a>", 2*mostDepth), strings.Repeat("<a/>", 2*mostDepth), "<?xml version='1.0'?>" +
			strings.Repeat("<!-- ' -->", 2*mostDepth),
		strings.Repeat("<a>", mostDepth) + strings.Repeat("</a>", mostDepth), strings.Repeat("a < b ", 1),
	} {
		assert.False(t, isTooDeep([]byte(text)), text[:min(len(text), 40)])
	}
}
