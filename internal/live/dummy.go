package live

import "crypto/ed25519"

// dummyKey is a key that nobody has: asked for it, the known hosts tell which they know.
var dummyKey = ed25519.PublicKey(make([]byte, ed25519.PublicKeySize))
