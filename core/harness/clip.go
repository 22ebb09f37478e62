package harness

// Clipped shortens a text for a message: what is refused is not sent back at full length.
func Clipped(s string, most int) string {
	if runes := []rune(s); len(runes) > most {
		return string(runes[:most]) + "…"
	}
	return s
}
