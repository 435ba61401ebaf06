package track

import "sync"

// leastShared is how many samples it takes for the work on them to be shared: another has to be woken for it.
const leastShared = 4096

// hands are those who share the work on a frame. What they find does not depend on who does what.
const hands = 2

// shared does a piece of work on n things, of so many samples each, by all hands at once, each a part of them.
func shared(n, samples int, do func(hand, from, to int)) {
	if n*samples < leastShared {
		do(0, 0, n)
		return
	}
	var wg sync.WaitGroup
	for hand := 1; hand < hands; hand++ {
		wg.Go(func() { do(hand, hand*n/hands, (hand+1)*n/hands) })
	}
	do(0, 0, n/hands)
	wg.Wait()
}
