package electric

// islands finds which nodes hang together through anything that conducts.
func (n *Network) islands() { n.hangTogether(true) }

// hangTogether is islands with or without what only a junction joins: a diode passes next to
// nothing the wrong way, and at no current next to nothing the right way either.
func (n *Network) hangTogether(junctions bool) {
	for i := range n.joined {
		n.joined[i] = int32(i)
	}
	for i := range n.branches {
		b := &n.branches[i]
		if n.conducts(b) {
			n.join(b.a, b.b)
		}
	}
	for i := range n.motors {
		m := &n.motors[i]
		for j := range m.from {
			n.join(m.from[j], m.to[j])
		}
	}
	n.joinFurther(junctions)
	n.live = n.root(int32(n.nodeCount))
}

func (n *Network) root(i int32) int32 {
	for n.joined[i] != i {
		n.joined[i] = n.joined[n.joined[i]]
		i = n.joined[i]
	}
	return i
}

func (n *Network) join(a, b node) {
	index := func(x node) int32 {
		if x == post {
			return int32(n.nodeCount)
		}
		return int32(x)
	}
	n.joined[n.root(index(a))] = n.root(index(b))
}

// floats tells whether a node has no conducting path to either post; islands was called.
func (n *Network) floats(x node) bool {
	return x != post && n.root(int32(x)) != n.live
}
