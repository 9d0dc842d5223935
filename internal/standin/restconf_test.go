package standin

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
	"ropeswing/internal/yang"
)

// restAsk sends a request to a device's RESTCONF side, and returns the status and what came back.
func restAsk(s *server, method, path, body string, head ...string) (int, string, http.Header) {
	r := httptest.NewRequest(method, path, strings.NewReader(body))
	r.SetBasicAuth("keeper", "word")
	for i := 0; i+1 < len(head); i += 2 {
		r.Header.Set(head[i], head[i+1])
	}
	out := httptest.NewRecorder()
	(&web{s, "keeper", "word"}).ServeHTTP(out, r)
	text, _ := io.ReadAll(out.Result().Body)
	return out.Code, string(text), out.Header()
}

func TestRestconfReads(t *testing.T) {
	t.Parallel()
	s := newRooms(t)
	for path, want := range map[string]string{
		"/.well-known/host-meta":         `href="/restconf"`,
		"/restconf":                      "<operations/>",
		"/restconf/operations":           "<operations ",
		"/restconf/yang-library-version": "2019-01-04",
		"/restconf/data":                 "oper-status",
		"/restconf/data/ietf-interfaces:interfaces/interface=eth0/ietf-ip:ipv4/address=192.0.2.1": "<prefix-length>25</prefix-length>",
		"/restconf/ds/ietf-datastores:startup/ietf-interfaces:interfaces":                         "eth1",
		"/restconf/ds/ietf-datastores:operational/ietf-routing:routing/ribs":                      "<name>ipv4-main</name>",
		"/restconf/data/ietf-routing:routing/ribs/rib=ipv4-main/routes":                           "destination-prefix",
		"/restconf/data/ietf-interfaces:interfaces/interface=eth0/oper-status":                    "oper-status",
		"/restconf/data/ietf-routing:routing/control-plane-protocols?content=config":              "198.51.100.0/24",
	} {
		code, text, _ := restAsk(s, "GET", path, "")
		assert.Equal(t, 200, code, path)
		assert.Contains(t, text, want, path)
		_, err := parse([]byte(text))
		assert.NoError(t, err, path)
	}
	for path, want := range map[string]int{
		"/restconf/data/ietf-interfaces:interfaces/interface=eth9": 404, "/restconf/data/ietf-interfaces:interfaces/interface": 400,
		"/restconf/data/nothing:here":                             404,
		"/restconf/data/ietf-routing:routing/ribs?content=config": 404,
		"/restconf/ds/ietf-datastores:candidate":                  404, "/restconf/data?content=nonconfig": 405, "/restconf/data?content=x": 400,
		"/elsewhere": 404, "/restconf/data?depth=1": 400, "/restconf/data?fields=a": 400, "/restconf/data?content=all&content=config": 400,
	} {
		code, text, _ := restAsk(s, "GET", path, "")
		assert.Equal(t, want, code, "%s: %s", path, text)
	}
	code, _, _ := restAsk(s, "GET", "/restconf/data", "", "Accept", "application/yang-data+json")
	assert.Equal(t, 406, code)
	code, _, head := restAsk(s, "GET", "/restconf/data", "", "Authorization", "Basic eDp5")
	assert.Equal(t, 401, code)
	assert.NotEmpty(t, head.Get("WWW-Authenticate"))
}

const eth1 = "/restconf/data/ietf-interfaces:interfaces/interface=eth1"

func TestRestconfChangesAndSaves(t *testing.T) {
	t.Parallel()
	s := newRooms(t)
	_, _, head := restAsk(s, "GET", "/restconf/data", "")
	was := head.Get("ETag")
	off := `<interface xmlns="` + string(yang.Interfaces) + `"><name>eth1</name><enabled>false</enabled></interface>`
	code, text, head := restAsk(s, "PATCH", eth1, off, "If-Match", was)
	assert.Equal(t, 204, code, text)
	assert.NotEqual(t, was, head.Get("ETag"))
	assert.Equal(t, observed.Down, s.admin(t, "eth1"))
	saved, err := s.yard.Saved("middle")
	require.NoError(t, err)
	assert.Equal(t, observed.Down, saved.Interface("eth1").Admin)
	code, _, _ = restAsk(s, "PATCH", eth1, off, "If-Match", was)
	assert.Equal(t, 412, code, "it was changed meanwhile")

	more := `<address xmlns="` + string(yang.IP) + `"><ip>192.0.2.140</ip><prefix-length>25</prefix-length></address>`
	code, text, head = restAsk(s, "POST", eth1+"/ietf-ip:ipv4", more)
	assert.Equal(t, 201, code, text)
	assert.NotEmpty(t, head.Get("Location"), "it was made")
	another := `<address xmlns="` + string(yang.IP) + `"><ip>192.0.2.141</ip><prefix-length>25</prefix-length></address>`
	for _, want := range []int{201, 204} { // made, then replaced
		code, text, _ = restAsk(s, "PUT", eth1+"/ietf-ip:ipv4/address=192.0.2.141", another)
		assert.Equal(t, want, code, text)
	}
	code, _, _ = restAsk(s, "PATCH", eth1, off, "Content-Type", "application/yang-data+json")
	assert.Equal(t, 415, code)
	code, _, _ = restAsk(s, "PATCH", eth1, off, "Content-Type", "application/yang-data+xml; charset=utf-8")
	assert.Equal(t, 204, code)
	code, _, _ = restAsk(s, "GET", "/restconf/data", "", "Accept", "application/yang-data+json")
	assert.Equal(t, 406, code)
	code, _, _ = restAsk(s, "POST", eth1+"/ietf-ip:ipv4", more)
	assert.Equal(t, 409, code, "it is there")
	code, _, _ = restAsk(s, "DELETE", eth1+"/ietf-ip:ipv4/address=192.0.2.140", "")
	assert.Equal(t, 204, code)
	code, _, _ = restAsk(s, "DELETE", eth1+"/ietf-ip:ipv4/address=192.0.2.140", "")
	assert.Equal(t, 409, code, "it is gone")
	code, _, _ = restAsk(s, "PUT", eth1+"/enabled", `<enabled xmlns="`+string(yang.Interfaces)+`">true</enabled>`)
	assert.Equal(t, 204, code)
	assert.Equal(t, observed.Up, s.admin(t, "eth1"))
	for _, bad := range []string{"", "<a/>", off[:20], `<interface xmlns="` + string(yang.Interfaces) + `"><name>eth0</name></interface>`} {
		code, _, _ = restAsk(s, "PATCH", eth1, bad)
		assert.Equal(t, 400, code, bad)
	}
	s.locks["running"] = 7
	code, _, _ = restAsk(s, "PATCH", eth1, off)
	assert.Equal(t, 409, code, "a NETCONF session has it locked")
}

// Whatever is asked, an answer comes, and what is set can still be read.
func FuzzRestconf(f *testing.F) {
	f.Add("PATCH", eth1, `<interface xmlns="`+string(yang.Interfaces)+`"><name>eth1</name><enabled>false</enabled></interface>`)
	f.Add("DELETE", eth1, "")
	f.Add("POST", "/restconf/data", `<x xmlns="y"/>`)
	f.Add("PUT", eth1+"/ietf-ip:ipv4/address=%31", `<address xmlns="`+string(yang.IP)+`"><ip>1</ip></address>`)
	f.Fuzz(func(t *testing.T, method, path, body string) {
		r, err := http.NewRequest(method, "http://stand-in"+path, strings.NewReader(body))
		if err != nil {
			return
		}
		r.SetBasicAuth("keeper", "word")
		s := newRooms(t)
		(&web{s, "keeper", "word"}).ServeHTTP(httptest.NewRecorder(), r)
		_, err = s.store("operational")
		require.NoError(t, err)
	})
}
