package clearance_test

import (
	"fmt"

	"celator/core/clearance"
)

// Who covered an item does not approve it.
func ExampleStanding_Move() {
	s := clearance.Standing{State: clearance.Ready, Covered: true, Checked: true, Editors: []string{"Ada Kvist"}}
	fmt.Println(s.Move(clearance.Approved, "ada kvist", ""))
	fmt.Println(s.Move(clearance.Approved, "Maren Toll", ""))
	// Output:
	// somebody else than who covered it approves
	// <nil>
}
