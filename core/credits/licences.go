package credits

import (
	"slices"
	"strings"
)

// Licence is one of the common open licences.
type Licence struct {
	Key     string  `json:"key"`
	Name    string  `json:"name"`
	Link    string  `json:"link" doc:"Where it can be read"`
	Demands string  `json:"demands" doc:"What it asks for, in a sentence"`
	Fields  []Field `json:"fields" nullable:"false" enum:"title,author,source,licence" doc:"What a credit must name"`
	Whole   bool    `json:"whole,omitempty" doc:"Nothing may be cut from it or mixed with it without asking"`
}

var attribution = []Field{Title, Author, Source}

// Licences lists the licences in the order they are offered. What each demands was
// condensed from its text (values from memory).
func Licences() []Licence {
	const deeds = "https://creativecommons.org/"
	return []Licence{
		{"own", "Our own work", "", "Nothing: it was made for the show.", nil, false},
		{"agreement", "By agreement with the author", "", "What was agreed; the author is named.", []Field{Title, Author}, false},
		{"cc0-1.0", "CC0 1.0", deeds + "publicdomain/zero/1.0/", "Nothing; naming the author is a courtesy.", nil, false},
		{"public-domain", "Public domain", "", "Nothing; naming the author is a courtesy.", nil, false},
		{"cc-by-4.0", "CC BY 4.0", deeds + "licenses/by/4.0/", "Name title, author, source and licence.", attribution, false},
		{"cc-by-3.0", "CC BY 3.0", deeds + "licenses/by/3.0/", "Name title, author, source and licence.", attribution, false},
		{"cc-by-sa-4.0", "CC BY-SA 4.0", deeds + "licenses/by-sa/4.0/", "Name title, author, source and licence; publish the episode under the same licence.", attribution, false},
		{"cc-by-nc-4.0", "CC BY-NC 4.0", deeds + "licenses/by-nc/4.0/", "Name title, author, source and licence; the episode may earn no money.", attribution, false},
		{"cc-by-nc-sa-4.0", "CC BY-NC-SA 4.0", deeds + "licenses/by-nc-sa/4.0/", "Name title, author, source and licence; the episode may earn no money and goes under the same licence.", attribution, false},
		{"cc-by-nd-4.0", "CC BY-ND 4.0", deeds + "licenses/by-nd/4.0/", "Name title, author, source and licence; it may not be cut or mixed with anything without asking.", attribution, true},
		{"cc-by-nc-nd-4.0", "CC BY-NC-ND 4.0", deeds + "licenses/by-nc-nd/4.0/", "Name title, author, source and licence; it may not be cut or mixed without asking, and the episode may earn no money.", attribution, true},
		{"lal-1.3", "Free Art License 1.3", "https://artlibre.org/licence/lal/en/", "Name title, author, source and licence; publish the episode under the same licence.", attribution, false},
	}
}

// Find gives a licence by its key, its name or its address, as files' tags have it.
func Find(text string) (Licence, bool) {
	plain := normal(text)
	for _, l := range Licences() {
		if plain == normal(l.Key) || plain == normal(l.Name) || (l.Link != "" && strings.Contains(strings.ToLower(text), strings.TrimPrefix(strings.TrimSuffix(l.Link, "/"), "https://"))) {
			l.Fields = slices.Concat([]Field{}, l.Fields)
			return l, true
		}
	}
	return Licence{}, false
}

func normal(s string) string {
	return strings.Join(strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return r == ' ' || r == '-' || r == '_' }), " ")
}

// demandsOf is what must be named under a licence. Of words of one's own nothing is
// known, so that title and author are named.
func demandsOf(licence string) []Field {
	if l, ok := Find(licence); ok {
		return l.Fields
	}
	return []Field{Title, Author}
}
