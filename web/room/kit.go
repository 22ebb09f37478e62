package room

import (
	"net/url"
	"slices"

	"github.com/gin-gonic/gin"

	"ironthread/core/probe"
)

// What a technician has and how they like to work is kept in a cookie, by person.
const kitCookie = "kit"

// KitOf reads the person's tools and school; without any, everything is at hand.
func KitOf(c *gin.Context) (probe.Kit, probe.School) {
	raw, err := c.Cookie(kitCookie)
	if err != nil {
		return probe.Kit{}, probe.PlainBest
	}
	return parseKit(raw)
}

func parseKit(raw string) (kit probe.Kit, school probe.School) {
	q, err := url.ParseQuery(Clip(raw, MaxText))
	if err != nil {
		return kit, school
	}
	if scan := probe.ScanTool(q.Get("scan")); scan == probe.BasicTool || scan == probe.NoTool {
		kit.Scan = scan
	}
	for _, t := range Tools(&kit) {
		t.set(q.Get("with-"+t.Name) != "" || !t.Rare && q.Get("without-"+t.Name) == "")
	}
	if s := probe.School(q.Get("school")); slices.Contains(probe.Schools, s) {
		school = s
	}
	return kit, school
}

// Tool is one that may be missing.
type Tool struct {
	Name, Label string
	Rare        bool // few have it: it is there only where somebody says so
	flag        *bool
}

// Has tells whether it is at hand.
func (t Tool) Has() bool { return *t.flag == t.Rare }

func (t Tool) set(has bool) { *t.flag = has == t.Rare }

// Tools are those of a kit.
func Tools(k *probe.Kit) []Tool {
	return []Tool{
		{"meter", "Multimeter", false, &k.NoMeter}, {"lamp", "Test lamp", false, &k.NoLamp}, {"clamp", "Clamp ammeter", false, &k.NoClamp},
		{"decade", "Decade box or resistors for a sensor's place", false, &k.NoDecade},
		{"jumper", "Fused jumper lead", false, &k.NoJumper}, {"infrared", "Infrared thermometer", true, &k.Infrared},
	}
}

// KeepKit keeps what the person at this browser has, and likes.
func KeepKit(c *gin.Context, scan, school string, has func(tool string) bool) {
	q := url.Values{"scan": {scan}, "school": {school}}
	for _, t := range Tools(&probe.Kit{}) {
		if has(t.Name) && t.Rare {
			q.Set("with-"+t.Name, "1")
		} else if !has(t.Name) && !t.Rare {
			q.Set("without-"+t.Name, "1")
		}
	}
	Keep(c, kitCookie, q.Encode())
}
