package mib

import (
	"bytes"
	"crypto"
	"slices"
	"sync"
)

// passphrase is one, and what it is hashed by.
type passphrase struct {
	by   crypto.Hash
	text string
}

// keys are those of passphrases: a megabyte is hashed for each, and many devices may have the same.
var keys sync.Map

// LocalKey is the key of a passphrase at one engine (RFC 3414 §2.6 and A.2, RFC 7860 §4).
func LocalKey(by crypto.Hash, text, engine string) []byte {
	key, known := keys.Load(passphrase{by, text})
	if !known {
		const hashed = 1 << 20
		h := by.New()
		h.Write(bytes.Repeat([]byte(text), hashed/max(len(text), 1)+1)[:min(hashed, len(text)*hashed)])
		key, _ = keys.LoadOrStore(passphrase{by, text}, h.Sum(nil))
	}
	h := by.New()
	h.Write(slices.Concat(key.([]byte), []byte(engine), key.([]byte)))
	return h.Sum(nil)
}
