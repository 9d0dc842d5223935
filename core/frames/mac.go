package frames

import "fmt"

// String is the address in the usual form, such as 02:00:5e:00:00:01.
func (m MAC) String() string {
	return fmt.Sprintf("%02x:%02x:%02x:%02x:%02x:%02x", m[0], m[1], m[2], m[3], m[4], m[5])
}
