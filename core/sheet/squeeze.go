package sheet

// squeeze takes empty lines out of the channels: lines that wires only cross downwards.
func (pl *plan) squeeze() {
	g := pl.grid
	moved := make([]int, g.h+1)
	gone := make([]bool, g.h)
	shift, free := 0, 0
	for y := range g.h {
		if pl.busy(y) {
			free = 0
		} else if free++; free > keepFree {
			gone[y] = true
			shift++
		}
		moved[y] = y - shift
	}
	moved[g.h] = g.h - shift
	if shift == 0 {
		return
	}
	for r := range pl.rowTop {
		pl.rowTop[r] = moved[pl.rowTop[r]]
	}
	pl.rail, pl.ground = moved[pl.rail], moved[pl.ground]
	for i := range pl.spots {
		pl.spots[i].at.y = moved[pl.spots[i].at.y]
	}
	for i := range pl.locals {
		pl.locals[i].spot.at.y = moved[pl.locals[i].spot.at.y]
	}
	for net, paths := range pl.paths {
		for k, p := range paths {
			var kept path
			for _, at := range p {
				if !gone[at.y] {
					kept = append(kept, point{at.x, moved[at.y]})
				}
			}
			pl.paths[net][k] = kept
		}
	}
	g.h -= shift
	pl.relay()
}

// busy tells whether anything stands on a line or runs along it.
func (pl *plan) busy(y int) bool {
	if y == pl.rail || y == pl.ground || y > pl.ground {
		return true
	}
	g := pl.grid
	for x := range g.w {
		c := y*g.w + x
		if g.solid[c] || g.level[c] != 0 || g.corner[c] != 0 || g.label[c] {
			return true
		}
	}
	return false
}

// relay lays the moved wires on a fresh grid, so that crossings can be counted.
func (pl *plan) relay() {
	fresh := newGrid(pl.grid.w, pl.grid.h)
	for net, paths := range pl.paths {
		for _, p := range paths {
			fresh.lay(p, int32(net+1))
		}
	}
	pl.grid = fresh
}
