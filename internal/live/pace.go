package live

import (
	"context"
	"net"
	"time"
)

// pace lets so many packets go out in a second, of all devices and protocols together; a nil one
// all of them.
type pace struct {
	tick *time.Ticker
	over chan struct{}
}

// newPace begins; a pace of 0 a second is none.
func newPace(perSecond int) *pace {
	if perSecond <= 0 {
		return nil
	}
	return &pace{time.NewTicker(time.Second / time.Duration(perSecond)), make(chan struct{})}
}

// end lets whoever still waits go on.
func (p *pace) end() {
	if p != nil {
		p.tick.Stop()
		close(p.over)
	}
}

// wait waits for the turn of one packet.
func (p *pace) wait(ctx context.Context) {
	if p == nil {
		return
	}
	select {
	case <-p.tick.C:
	case <-p.over:
	case <-ctx.Done():
	}
}

// packet is about how much of a stream goes into one packet, in bytes.
const packet = 1400

// dial connects by TCP in its turn, and what is written to the connection goes out at the pace.
func (p *pace) dial(ctx context.Context, patience time.Duration, at string) (net.Conn, error) {
	p.wait(ctx)
	dialer := net.Dialer{Timeout: patience}
	conn, err := dialer.DialContext(ctx, "tcp", at)
	if err != nil || p == nil {
		return conn, err
	}
	return &pacedConn{conn, p, ctx}, nil
}

// pacedConn writes at a pace.
type pacedConn struct {
	net.Conn
	pace *pace
	ctx  context.Context // that ends the waiting
}

func (c *pacedConn) Write(b []byte) (int, error) {
	for n := 0; n < len(b); n += packet {
		c.pace.wait(c.ctx)
	}
	return c.Conn.Write(b)
}
