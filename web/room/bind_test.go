package room

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
)

func init() { gin.SetMode(gin.TestMode) }

type tried struct {
	Name  string `form:"name" says:"the vehicle" binding:"required,max=8"`
	Way   string `form:"way" says:"the way" binding:"omitempty,oneof=up down"`
	Count int    `form:"count" says:"the count" binding:"min=0,max=9"`
}

func TestBindSaysWhatIsWrong(t *testing.T) {
	for _, c := range []struct {
		form url.Values
		says string
	}{
		{url.Values{"name": {"Gritter"}}, ""},
		{url.Values{}, "the vehicle is missing"},
		{url.Values{"name": {"Gritter 61"}}, "the vehicle has 10 characters, and at most 8 are kept; make it shorter"},
		{url.Values{"name": {"a"}, "way": {"left"}}, "the way is one of up, down"},
		{url.Values{"name": {"a"}, "count": {"10"}}, "the count is more than 9"},
		{url.Values{"name": {"a"}, "count": {"-1"}}, "the count is less than 0"},
		{url.Values{"name": {"a"}, "count": {"ten"}}, "the form could not be read; nothing was done"},
	} {
		g, _ := gin.CreateTestContext(httptest.NewRecorder())
		g.Request = httptest.NewRequest(http.MethodPost, "/", strings.NewReader(c.form.Encode()))
		g.Request.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		var into tried
		err := Bind(g, &into)
		if c.says == "" {
			assert.NoError(t, err)
			continue
		}
		assert.EqualError(t, err, c.says)
	}
}

// What was typed keeps its letters; only blanks around it go.
func TestBindTakesBlanksOff(t *testing.T) {
	g, _ := gin.CreateTestContext(httptest.NewRecorder())
	g.Request = httptest.NewRequest(http.MethodPost, "/", strings.NewReader(url.Values{"name": {"  Räum 1 "}}.Encode()))
	g.Request.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	var into tried
	assert.NoError(t, Bind(g, &into))
	assert.Equal(t, "Räum 1", into.Name)
}
