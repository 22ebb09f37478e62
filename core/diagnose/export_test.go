package diagnose

// ForgetPairs drops what is known of pairs of faults, for measuring; it tells whether anything was.
func (g *Guide) ForgetPairs() bool {
	some := len(g.paired) > 0
	clear(g.paired)
	return some
}
