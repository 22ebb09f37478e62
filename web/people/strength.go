package people

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
	"github.com/trustelem/zxcvbn"

	"ironthread/web/room"
)

// A passphrase is judged by how many tries somebody would need who knows what people choose: the passphrases most often found
// in what has been stolen elsewhere, names, words, keys in a row. No rule of composition says so well what is weak.

// leastGuesses is how many tries a passphrase must withstand at least, in powers of ten (OWASP ASVS 4: 2.1.7).
const leastGuesses = 1e9

// judgedChars bounds what is judged of a long passphrase: judging takes time that grows with its length.
const judgedChars = 48

// guesses is about how many tries a passphrase withstands.
func guesses(name, secret string) float64 {
	judged := []rune(strings.ToLower(secret))
	return zxcvbn.PasswordStrength(string(judged[:min(len(judged), judgedChars)]), append(strings.Fields(strings.ToLower(name)),
		"iron", "thread", "ironthread", "workshop", "technician", "passphrase")).Guesses
}

// published are passphrases that stand in print as examples, or in songs and sayings, without what stands between their words:
// whoever guesses has those lists, too.
var published = []string{"correcthorsebatterystaple", "letmeinpleasenow", "opensesameopensesame", "thequickbrownfoxjumpsoverthelazydog",
	"tobeornottobethatisthequestion", "maytheforcebewithyou", "iloveyoutothemoonandback", "onceuponatime", "loremipsumdolorsitamet"}

// lettersOnly drops what is no letter, and writes the rest small.
func lettersOnly(r rune) rune {
	if !unicode.IsLetter(r) {
		return -1
	}
	return unicode.ToLower(r)
}

// fit says what is wrong with a name and a passphrase, if anything is.
func fit(name, secret string) error {
	n := utf8.RuneCountInString(secret)
	switch {
	case strings.TrimSpace(name) == "":
		return errors.New("the name is missing")
	case !room.OneLine(name):
		return errors.New("the name holds signs that cannot be printed; type it anew")
	case n < leastSecret || n > mostSecret:
		return fmt.Errorf("a passphrase has %d to %d characters; some words in a row are easy to keep", leastSecret, mostSecret)
	case strings.Contains(strings.ToLower(secret), strings.ToLower(name)):
		return errors.New("the passphrase must not hold the name")
	case slices.Contains(published, strings.Map(lettersOnly, secret)), guesses(name, secret) < leastGuesses:
		return errors.New("that passphrase is among those that are tried first; take a few words that have nothing to do with each other")
	}
	return nil
}

// strength says of a passphrase that is being typed how hard it is to guess.
func (a *People) strength(c *gin.Context) {
	if a.accounts.first(c.Request.Context()) == "" {
		if _, ok, err := a.accounts.person(c); err != nil || !ok {
			a.Fail(c, http.StatusNotFound, "There is no such page.")
			return
		}
	}
	secret := room.Clip(c.PostForm("new")+c.PostForm("secret"), mostSecret)
	n, tries := utf8.RuneCountInString(secret), guesses(c.PostForm("name"), secret)
	words := "hard to guess"
	switch {
	case n < leastSecret:
		words = fmt.Sprintf("%d more characters", leastSecret-n)
	case tries < leastGuesses:
		words = "among those that are tried first"
	case tries < leastGuesses*leastGuesses:
		words = "good"
	}
	a.Part(c, http.StatusOK, "signin.html", "judged", words)
}
