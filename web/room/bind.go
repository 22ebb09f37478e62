package room

import (
	"errors"
	"fmt"
	"reflect"
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
	"github.com/gin-gonic/gin/binding"
	"github.com/go-playground/validator/v10"
)

// Bind reads a posted form into a struct, by gin's binding and its validator: a field's `form` tag names the
// input, `binding` what it must be, `says` what the page calls it. Texts come without blanks around them; one
// that is too long is refused, never cut. The error is a sentence that names what is wrong.
func Bind(c *gin.Context, into any) error {
	err := c.Request.ParseForm()
	if err == nil {
		err = binding.MapFormWithTag(into, c.Request.Form, "form")
	}
	if err == nil {
		trim(reflect.ValueOf(into).Elem())
		err = binding.Validator.ValidateStruct(into)
	}
	var wrong validator.ValidationErrors
	switch {
	case errors.As(err, &wrong):
		return worded(wrong[0], into)
	case err != nil:
		return errors.New("the form could not be read; nothing was done")
	}
	return nil
}

func trim(form reflect.Value) {
	for i := range form.NumField() {
		if f := form.Field(i); f.Kind() == reflect.String && form.Type().Field(i).Tag.Get("keep") == "" {
			f.SetString(strings.TrimSpace(strings.ReplaceAll(f.String(), "\r\n", "\n")))
		}
	}
}

// worded says what is wrong with a field.
func worded(wrong validator.FieldError, form any) error {
	field, _ := reflect.TypeOf(form).Elem().FieldByName(wrong.StructField())
	says := field.Tag.Get("says")
	switch wrong.Tag() {
	case "required":
		return fmt.Errorf("%s is missing", says)
	case "max":
		if text, ok := wrong.Value().(string); ok {
			return fmt.Errorf("%s has %d characters, and at most %s are kept; make it shorter", says, utf8.RuneCountInString(text), wrong.Param())
		}
		return fmt.Errorf("%s is more than %s", says, wrong.Param())
	case "min":
		return fmt.Errorf("%s is less than %s", says, wrong.Param())
	case "oneof":
		return fmt.Errorf("%s is one of %s", says, strings.ReplaceAll(wrong.Param(), " ", ", "))
	}
	return fmt.Errorf("%s cannot be %v", says, wrong.Value())
}
