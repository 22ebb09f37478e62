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
		*t.Missing = q.Get("without-"+t.Name) != ""
	}
	if s := probe.School(q.Get("school")); slices.Contains(probe.Schools, s) {
		school = s
	}
	return kit, school
}

// Tool is one that may be missing.
type Tool struct {
	Name, Label string
	Missing     *bool
}

func Tools(k *probe.Kit) []Tool {
	return []Tool{
		{"meter", "Multimeter", &k.NoMeter}, {"lamp", "Test lamp", &k.NoLamp}, {"clamp", "Clamp ammeter", &k.NoClamp},
		{"decade", "Decade box or resistors for a sensor's place", &k.NoDecade}, {"jumper", "Fused jumper lead", &k.NoJumper},
	}
}

// KeepKit keeps what the person at this browser has, and likes.
func KeepKit(c *gin.Context, scan, school string, missing []string) {
	q := url.Values{"scan": {scan}, "school": {school}}
	for _, name := range missing {
		q.Set("without-"+name, "1")
	}
	Keep(c, kitCookie, q.Encode())
}
