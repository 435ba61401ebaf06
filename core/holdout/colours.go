package holdout

// colours is what the foreground looks like: a histogram over luma and chroma that
// fades from frame to frame.
type colours struct {
	bins [16 * 24 * 24]float32 // luma by 16 codes; chroma by 6 around grey
	logs [16 * 24 * 24]float32
	all  float32
}

func cell(y, b, r float32) int {
	i := min(max(int(y/16), 0), 15)
	j := min(max(int((b-128)/6+12), 0), 23)
	k := min(max(int((r-128)/6+12), 0), 23)
	return (i*24+j)*24 + k
}

const (
	leastColourSamples = 80 // samples to know colours by
	unlike             = 5  // log of odds by which something is not the surface, whatever its colours
)

func (c *colours) known() bool { return c.all >= leastColourSamples }

// learn enters the colours of what is surely in front of the surface, and would be did one not know its colours: else
// what was once taken for it would stay so. It returns false where there is nothing.
func (c *colours) learn(f *Finder) bool {
	n := 0
	if c.all > 0 {
		for i := range c.bins {
			c.bins[i] *= .85
		}
		c.all *= .85
	}
	for i, u := range f.u {
		if u > .5 && f.strange[i] > unlike && f.inside[i] > .5 && f.laid.Sure[i] > leastAgreeing {
			k := cell(f.C[0][i], f.C[1][i], f.C[2][i])
			c.bins[k]++
			n++
		}
	}
	c.all += float32(n)
	if !c.known() {
		for i := range c.logs {
			c.logs[i] = -99
		}
		return false
	}
	// A cell and its neighbours in luma and chroma; half of the weight.
	base := c.all * 16 * 6 * 6
	for i := range c.bins {
		v := .5 * c.bins[i]
		y, b, r := i/576, i/24%24, i%24
		if y > 0 {
			v += .125 * c.bins[i-576]
		}
		if y < 15 {
			v += .125 * c.bins[i+576]
		}
		if b > 0 {
			v += .0625 * c.bins[i-24]
		}
		if b < 23 {
			v += .0625 * c.bins[i+24]
		}
		if r > 0 {
			v += .0625 * c.bins[i-1]
		}
		if r < 23 {
			v += .0625 * c.bins[i+1]
		}
		c.logs[i] = -99
		if v > 0 {
			c.logs[i] = ln(.5 * v / base)
		}
	}
	return n > 0
}

// of is the log of how likely the foreground has a colour; very small while unknown.
func (c *colours) of(y, b, r float32) float32 {
	if !c.known() {
		return -99
	}
	return c.logs[cell(y, b, r)]
}
