package harness

// Price of the part in the workshop's money: its own, or what is usual for its kind.
func (p *Part) Price() float64 {
	if p.Cost > 0 {
		return p.Cost
	}
	return p.Traits().Price
}

// RenewMinutes is how long renewing it usually takes, reaching it included.
func (p *Part) RenewMinutes() float64 { return p.Traits().Minutes + p.Access }
