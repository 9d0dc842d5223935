package live

// mostDepth is how deep the elements of an answer may lie in one another: what the models know is not a tenth as deep.
const mostDepth = 500

// isTooDeep reports whether elements of an XML text lie deeper in one another than any model has them. It is asked before a
// text is read, since a reader keeps all that is open.
func isTooDeep(text []byte) bool {
	depth := 0
	for i := 0; i < len(text); i++ {
		if text[i] != '<' || i+1 == len(text) {
			continue
		}
		kind, quote := text[i+1], byte(0)
		for i++; i < len(text) && (quote != 0 || text[i] != '>'); i++ {
			switch {
			case quote == text[i]:
				quote = 0
			case quote == 0 && (text[i] == '"' || text[i] == '\'') && kind != '!':
				quote = text[i]
			}
		}
		switch {
		case kind == '/':
			depth--
		case kind != '!' && kind != '?' && i < len(text) && text[i-1] != '/':
			depth++
		}
		if depth > mostDepth {
			return true
		}
	}
	return false
}
