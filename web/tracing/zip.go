package tracing

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"path"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/printed"
	"ironthread/store"
	"ironthread/web/room"
)

// A circuit with its pages travels as one archive: the text, which stays whole by itself and knows nothing of pages; the pictures;
// and where the pins stand on them.

// Names within an archive, and its bounds.
const (
	zipText      = "circuit.harness.yaml"
	zipPages     = "pages.json"
	mostZipBytes = 64 << 20
	mostZipFiles = printed.MostPages + 2
)

// pagesFile is the list of pages.
type pagesFile struct {
	Version int            `json:"iron-thread-pages"`
	Pages   []pageFile     `json:"pages"`
	Places  printed.Places `json:"places"`
}

// pageFile is one page and the file of its picture.
type pageFile struct {
	Number int    `json:"number"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
	File   string `json:"file"`
}

// archive hands a circuit out with its pages.
func (a *Tracing) archive(c *gin.Context) {
	ctx := c.Request.Context()
	h, err := a.keep.HarnessNamed(ctx, c.Param("name"))
	if err != nil {
		a.FailWith(c, err)
		return
	}
	of, err := a.keep.Printed(ctx, h.ID, h.Revision)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	if len(of.Pages) == 0 {
		a.Fail(c, http.StatusNotFound, "This circuit has no printed pages; its text is handed out by itself.")
		return
	}
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	put := func(name string, b []byte) {
		if err == nil {
			var w io.Writer
			if w, err = z.Create(name); err == nil {
				_, err = w.Write(b)
			}
		}
	}
	put(zipText, []byte(h.Source))
	list := pagesFile{Version: 1, Places: of.Places}
	for _, p := range of.Pages {
		whole, wrong := a.keep.PageOf(ctx, h.ID, of.On, p.Number)
		if wrong != nil {
			a.FailWith(c, wrong)
			return
		}
		name := fmt.Sprintf("page-%d.jpg", p.Number)
		list.Pages = append(list.Pages, pageFile{p.Number, p.Width, p.Height, name})
		put(name, whole.JPEG)
	}
	b, wrong := json.MarshalIndent(list, "", " ")
	put(zipPages, b)
	if err = errors.Join(err, wrong, z.Close()); err != nil {
		a.FailWith(c, err)
		return
	}
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", h.Name+".zip"))
	c.Data(http.StatusOK, "application/zip", out.Bytes())
}

// takeArchive takes a circuit in with its pages.
func (a *Tracing) takeArchive(c *gin.Context) {
	of, err := readArchive(c)
	if err != nil {
		a.showAsk(c, http.StatusUnprocessableEntity, err)
		return
	}
	title := of.circuit.Title
	if title == "" {
		title = "Untitled circuit"
	}
	ctx := c.Request.Context()
	h, err := a.keep.AddHarness(ctx, room.Slug(title), title, of.text)
	if err == nil {
		err = a.keep.PutPages(ctx, h, of.pages, of.places)
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name)+"?paper=printed")
}

// archived is what an archive holds.
type archived struct {
	circuit *harness.Circuit
	text    string
	pages   []store.PrintedPage
	places  printed.Places
}

// readArchive reads an archive that was chosen in a form, within its bounds.
func readArchive(c *gin.Context) (*archived, error) {
	file, err := c.FormFile("archive")
	if err != nil || file.Size > room.MaxPageBytes {
		return nil, fmt.Errorf("choose the archive of a circuit with its pages, of at most %d MB", room.MaxPageBytes>>20)
	}
	f, err := file.Open()
	if err != nil {
		return nil, errors.New("the archive could not be read")
	}
	defer f.Close() // it was only read
	z, err := zip.NewReader(f, file.Size)
	if err != nil || len(z.File) > mostZipFiles {
		return nil, errors.New("this is no archive of a circuit: a zip of its text, its pages and their places")
	}
	in := &bounded{z, mostZipBytes}
	b, err := in.read(zipText)
	if err != nil {
		return nil, err
	}
	of := &archived{text: string(b)}
	if of.circuit, err = harness.Read(b); err != nil {
		return nil, fmt.Errorf("%s: %w", zipText, err)
	}
	return of, of.readPages(c.Request.Context(), in)
}

// bounded reads files of an archive until so many bytes have been read of all.
type bounded struct {
	z    *zip.Reader
	left int64
}

func (in *bounded) read(name string) ([]byte, error) {
	f, err := in.z.Open(name)
	if err != nil {
		return nil, fmt.Errorf("the archive has no %s", name)
	}
	defer f.Close() // it was only read
	b, err := io.ReadAll(io.LimitReader(f, in.left+1))
	if in.left -= int64(len(b)); err != nil || in.left < 0 {
		return nil, fmt.Errorf("%s in the archive cannot be read, or is too large", name)
	}
	return b, nil
}

// readPages reads the pages and the places: each picture is written anew.
func (of *archived) readPages(ctx context.Context, in *bounded) error {
	b, err := in.read(zipPages)
	if err != nil {
		return err
	}
	var list pagesFile
	if err := json.Unmarshal(b, &list); err != nil || list.Version != 1 || len(list.Pages) > printed.MostPages {
		return fmt.Errorf("%s cannot be read, or is of another version", zipPages)
	}
	for _, p := range list.Pages {
		if p.File != path.Base(p.File) || p.Number < 1 || p.Number > printed.MostPages {
			return fmt.Errorf("%s: a page is named %q", zipPages, harness.Clipped(p.File, 40))
		}
		raw, err := in.read(p.File)
		if err != nil {
			return err
		}
		page, err := room.TakenPage(ctx, raw)
		if err != nil {
			return fmt.Errorf("%s: %w", p.File, err)
		}
		page.Number = p.Number
		of.pages = append(of.pages, *page)
	}
	if of.places = list.Places.Of(of.circuit); len(of.pages) == 0 {
		return errors.New("the archive has no page")
	}
	return nil
}
