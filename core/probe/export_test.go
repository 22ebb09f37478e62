package probe

import "slices"

// EveryKind lists every kind there is.
func EveryKind() []Kind { return slices.Clone(kinds) }
