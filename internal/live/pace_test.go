package live

import (
	"bytes"
	"context"
	"io"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What goes out by TCP counts too: connecting, and each packet's worth of what is written.
func TestStreamsGoOutAtThePace(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	got := make(chan []byte, 1)
	go func() {
		c, err := l.Accept()
		if err == nil {
			b, _ := io.ReadAll(c)
			got <- b
		}
	}()
	p := newPace(100)
	begin := time.Now()
	c, err := p.dial(t.Context(), time.Second, l.Addr().String())
	require.NoError(t, err)
	text := bytes.Repeat([]byte("x"), 18*packet+1)
	n, err := c.Write(text)
	require.NoError(t, err)
	assert.Equal(t, len(text), n)
	assert.GreaterOrEqual(t, time.Since(begin), 190*time.Millisecond, "20 packets, 100 a second")
	require.NoError(t, c.Close())
	assert.Equal(t, text, <-got)
}

// Nobody waits for a turn that never comes.
func TestWaitingEnds(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	for name, end := range map[string]func(*pace) context.Context{
		"as the context ends": func(*pace) context.Context { return ctx },
		"as the asking ends":  func(p *pace) context.Context { p.end(); return t.Context() },
	} {
		p := newPace(1)
		p.tick.Reset(time.Hour)
		over := make(chan bool)
		go func() { p.wait(end(p)); close(over) }()
		select {
		case <-over:
		case <-time.After(10 * time.Second):
			t.Error(name)
		}
	}
	var none *pace
	none.wait(t.Context())
	none.end()
	assert.Nil(t, newPace(0), "nothing is held up")
}
