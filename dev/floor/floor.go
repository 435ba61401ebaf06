// Package floor holds what a bench measured to what the documents claim: a bench that
// falls short says so and ends with 1.
package floor

import (
	"fmt"
	"os"
)

var short []string

// AtLeast wants a figure to be no less than what is claimed.
func AtLeast(what string, got, claimed float64) {
	if !(got >= claimed) {
		short = append(short, fmt.Sprintf("%s: %.4g, claimed are at least %.4g", what, got, claimed))
	}
}

// AtMost wants a figure to be no more than what is claimed.
func AtMost(what string, got, claimed float64) {
	if !(got <= claimed) {
		short = append(short, fmt.Sprintf("%s: %.4g, claimed are at most %.4g", what, got, claimed))
	}
}

// End ends the bench: with 1 where something fell short.
func End() {
	for _, s := range short {
		fmt.Println("SHORT OF THE CLAIM:", s)
	}
	if len(short) > 0 {
		os.Exit(1)
	}
}
