package access

// Letting is a door that lets go into some shows alone.
func Letting(of Owners, into ...string) *Door {
	return &Door{of, func(show string) bool { return len(those(into, func(s string) bool { return s == show })) > 0 }}
}
