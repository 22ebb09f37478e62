package room

import (
	"bytes"
	"fmt"
	"strings"
	"time"

	"codeberg.org/go-pdf/fpdf"
)

// Measures of what is printed, millimetres and points.
const (
	pdfMargin = 18.0
	pdfLine   = 5.2
	pdfText   = 10.0
	pdfSmall  = 8.5
	pdfHead   = 13.0
)

// pdfWords replaces what the built-in typeface has no sign for.
var pdfWords = strings.NewReplacer("Ω", "ohm", "−", "-", "≤", "<=", "≥", ">=", "√", "root of ", "→", "to")

// PDF is a text set on A4: headings, lines and tables.
type PDF struct {
	doc   *fpdf.Fpdf
	latin func(string) string

	pictures int
}

// NewPDF begins one; the footer's words stand on each page before its number.
func NewPDF(title, footer string, printed time.Time) *PDF {
	doc := fpdf.New("P", "mm", "A4", "")
	p := &PDF{doc: doc, latin: doc.UnicodeTranslatorFromDescriptor("")}
	doc.SetMargins(pdfMargin, pdfMargin, pdfMargin)
	doc.SetAutoPageBreak(true, pdfMargin)
	doc.SetTitle(p.say(title), false)
	doc.SetCreationDate(printed)
	doc.SetModificationDate(printed)
	doc.SetFooterFunc(func() {
		doc.SetY(-pdfMargin + 4)
		doc.SetFont("Helvetica", "", 8)
		doc.CellFormat(0, 4, p.say(fmt.Sprintf("%s, page %d", footer, doc.PageNo())), "", 0, "C", false, 0, "")
	})
	doc.AddPage()
	return p
}

func (p *PDF) say(s string) string { return p.latin(pdfWords.Replace(s)) }

// Head begins a section.
func (p *PDF) Head(s string) {
	p.doc.Ln(2)
	p.doc.SetFont("Helvetica", "B", pdfHead)
	p.doc.MultiCell(0, pdfLine+1.5, p.say(s), "", "L", false)
	p.doc.SetFont("Helvetica", "", pdfText)
}

// Line sets a paragraph.
func (p *PDF) Line(s string) { p.doc.MultiCell(0, pdfLine, p.say(s), "", "L", false) }

// Row sets one row of a table with columns of so many millimetres; what is longer than its column is set smaller.
func (p *PDF) Row(widths []float64, cells ...string) {
	for i, cell := range cells {
		size := pdfSmall
		p.doc.SetFont("Helvetica", "", size)
		for text := p.say(cell); p.doc.GetStringWidth(text) > widths[i]-1 && size > 5; {
			size -= 0.5
			p.doc.SetFont("Helvetica", "", size)
		}
		p.doc.CellFormat(widths[i], pdfLine, p.say(cell), "B", 0, "L", false, 0, "")
	}
	p.doc.Ln(-1)
	p.doc.SetFont("Helvetica", "", pdfText)
}

// Picture sets a JPEG, no wider than the text and no higher than a fifth of a page, with words below it. What is no JPEG is left out.
func (p *PDF) Picture(jpeg []byte, words string) {
	p.pictures++
	name := fmt.Sprint("picture ", p.pictures)
	info := p.doc.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "JPEG"}, bytes.NewReader(jpeg))
	if p.doc.Err() || info == nil {
		p.doc.ClearError()
		return
	}
	wide, high := p.doc.GetPageSize()
	scale := min((wide-2*pdfMargin)/info.Width(), high/5/info.Height(), 1)
	p.doc.ImageOptions(name, pdfMargin, 0, scale*info.Width(), scale*info.Height(), true, fpdf.ImageOptions{ImageType: "JPEG"}, 0, "")
	p.Line(words)
}

// Bytes is the finished file.
func (p *PDF) Bytes() ([]byte, error) {
	var b bytes.Buffer
	if err := p.doc.Output(&b); err != nil {
		return nil, fmt.Errorf("the PDF: %w", err)
	}
	return b.Bytes(), nil
}
