// Package letter is outlets whose pictures are packed, and whose package's link is sent by mail.
package letter

import (
	"net/mail"
	"strconv"
	"strings"

	"ambrosa/internal/origin"
	"ambrosa/internal/outlet"
)

// Name is the kind's in the database.
const Name = "mail"

const (
	to    = "to"
	days  = "days"
	words = "words"
)

// The bounds of what a mail is sent to, and of how long its link leads to the package.
const (
	mostTo    = 20
	usualDays = 7
	mostDays  = 30
)

// Kind is the kind of outlet: it is no place that anybody connects to.
var Kind = outlet.Kind{
	Name: Name, Label: "Mail of a link", Packed: true, Host: func(map[string]string) string { return "" },
	Fields: []origin.Field{
		{Name: to, Label: "To", Hint: "mail addresses, with commas between", Type: "text", Required: true},
		{Name: days, Label: "Days that the link leads there", Hint: "1 to 30; 7 when empty", Type: "text"},
		{Name: words, Label: "What it says", Hint: "above the link", Type: "lines"},
	},
	Check: func(settings map[string]string) error {
		if _, err := To(settings); err != nil {
			return err
		}
		_, err := Days(settings)
		return err
	},
}

// To returns the addresses that a mail goes to. What is none is an origin.Fault.
func To(settings map[string]string) (addresses []string, err error) {
	list, err := mail.ParseAddressList(settings[to])
	if err != nil {
		return nil, origin.Faulty("“To” is no list of mail addresses, like name@example.com, other@example.com", false, err)
	}
	if len(list) > mostTo {
		return nil, origin.Faulty("a mail goes to 20 addresses at most", false, nil)
	}
	for _, address := range list {
		addresses = append(addresses, address.Address)
	}
	return addresses, nil
}

// Days returns how long the link leads to the package. What is no number of days is an
// origin.Fault.
func Days(settings map[string]string) (int, error) {
	text := strings.TrimSpace(settings[days])
	if text == "" {
		return usualDays, nil
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 || n > mostDays {
		return 0, origin.Faulty("a link leads to a package for 1 to 30 days", false, err)
	}
	return n, nil
}

// Words are what stands above the link.
func Words(settings map[string]string) string { return strings.TrimSpace(settings[words]) }
