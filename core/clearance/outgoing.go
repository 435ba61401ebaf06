package clearance

import "fmt"

// Outgoing is what is known of pictures that are to be delivered.
type Outgoing struct {
	Severe    int  // open severe findings
	Open      int  // entries of the list that are neither approved nor waived
	ForReview bool // it is made to be looked at, which comes before approval
}

// Doubts says, for people, why it should not go out yet.
func (o Outgoing) Doubts() []string {
	out := []string{}
	if o.ForReview {
		return out
	}
	say := func(n int, one, many string) {
		if n == 1 {
			out = append(out, one)
		} else if n > 1 {
			out = append(out, fmt.Sprintf(many, n))
		}
	}
	say(o.Severe, "one severe finding is open", "%d severe findings are open")
	say(o.Open, "one entry of the list is neither approved nor waived",
		"%d entries of the list are neither approved nor waived")
	return out
}
