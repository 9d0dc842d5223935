package plan

// KeyNamed is what the reference says of a key, by the kind of map it stands in, and where that
// map stands; false where there is none.
func KeyNamed(kind, name string) (KeyDoc, string, bool) {
	for _, g := range Keys() {
		if g.Of != kind {
			continue
		}
		for _, k := range g.Keys {
			if k.Name == name {
				return k, g.Where, true
			}
		}
	}
	return KeyDoc{}, "", false
}
