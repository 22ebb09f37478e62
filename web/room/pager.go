package room

import (
	"fmt"
	"net/url"
	"strconv"

	"github.com/gin-gonic/gin"

	"ironthread/store"
)

// Pager leads from one page of a list to the next.
type Pager struct {
	From, To, Of  int
	Earlier, More string // addresses; empty where there is none
	path, find    string
	show          string // which of several lists
	step          int
}

// Bounds of what a list's address may say.
const (
	maxFrom = 10_000_000
)

func PagerOf(c *gin.Context, path, find string, step int) Pager {
	from, err := strconv.Atoi(c.Query("from"))
	if err != nil || from < 0 || from > maxFrom {
		from = 0
	}
	return Pager{From: from, path: path, find: find, step: step, show: Clip(c.Query("show"), MaxWho)}
}

// Count says how many are shown, of how many.
func (p *Pager) Count(shown, of int) {
	p.To, p.Of = p.From+shown, of
	if p.From > 0 {
		p.Earlier = p.at(max(0, p.From-p.step))
	}
	if p.To < of {
		p.More = p.at(p.To)
	}
}

func (p *Pager) at(from int) string {
	q := url.Values{}
	if p.find != "" {
		q.Set("find", p.find)
	}
	if p.show != "" {
		q.Set("show", p.show)
	}
	if from > 0 {
		q.Set("from", strconv.Itoa(from))
	}
	if len(q) == 0 {
		return p.path
	}
	return p.path + "?" + q.Encode()
}

// Words says which part of the list this is.
func (p Pager) Words() string {
	if p.Of == 0 || p.From == 0 && p.To == p.Of {
		return ""
	}
	if p.Of >= p.From+store.Ahead {
		return fmt.Sprintf("%d to %d of %d or more", p.From+1, p.To, p.Of)
	}
	return fmt.Sprintf("%d to %d of %d", p.From+1, p.To, p.Of)
}
