package server

import (
	"time"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/cover"
	"celator/internal/deliver"
	"celator/internal/media"
	"celator/internal/store"
)

type (
	ByID struct {
		ID string `path:"id" format:"uuid"`
	}
	body[T any] struct{ Body T }

	sourceView struct {
		ID        string     `json:"id"`
		Programme string     `json:"programme"`
		Name      string     `json:"name"`
		State     string     `json:"state" enum:"queued,conforming,viewing,ready,failed"`
		Error     string     `json:"error"`
		Waiting   string     `json:"waiting" doc:"why it does not go on for now, in words; empty while it does"`
		Damage    string     `json:"damage,omitempty" enum:"found,taken" doc:"found: it failed for that, and can be taken as it is; taken: it was"`
		Frames    int        `json:"frames"`
		Views     int        `json:"views" doc:"view frames made so far"`
		ViewW     int        `json:"viewWidth"`
		ViewH     int        `json:"viewHeight"`
		Info      media.Info `json:"info"`
		Notes     []string   `json:"notes" doc:"what was done to read it exactly, in words"`
		Created   time.Time  `json:"created"`
	}
	// leftView is what the source holds that a delivery does not, in words.
	leftView struct {
		Whole []string `json:"whole" doc:"of a delivery of all of the source"`
		Part  []string `json:"part" doc:"of one of a part"`
	}
	deliveryView struct {
		ID       string         `json:"id"`
		Source   string         `json:"source"`
		Shot     string         `json:"shot" doc:"empty of a source with its shots, and of a reel"`
		Reel     bool           `json:"reel" doc:"chosen shots one after another, which may be of several sources"`
		Shots    int            `json:"shots" doc:"how many shots are in it"`
		Revision int            `json:"revision"`
		Preset   string         `json:"preset"`
		Name     string         `json:"name"`
		State    string         `json:"state" enum:"queued,rendering,joining,verifying,paused,done,failed,cancelled"`
		First    int            `json:"first" doc:"of the shot's frames, or the source's"`
		Frames   int            `json:"frames"`
		Matte    bool           `json:"matte" doc:"the combined matte, as grey, instead of the pictures"`
		Rendered int            `json:"rendered"`
		Verified int            `json:"verified"`
		Priority int            `json:"priority" doc:"1 goes before others, 3 after them"`
		Rate     float64        `json:"rate" doc:"frames a second so far"`
		Left     float64        `json:"left" doc:"seconds that rendering will still take at that rate"`
		Error    string         `json:"error"`
		Waiting  string         `json:"waiting" doc:"why it does not go on for now, in words; empty while it does"`
		Proof    *deliver.Proof `json:"proof,omitempty"`
		Size     int64          `json:"size"`
		SHA256   string         `json:"sha256"`
		Created  time.Time      `json:"created"`
		Finished *time.Time     `json:"finished,omitempty"`
		// The newest first.
		Handovers []store.Handover `json:"handovers"`
	}
	summaryView struct {
		store.Summary
		States map[string]int `json:"states" doc:"how many appearances of items are in each state"`
	}
	programmeView struct {
		store.Programme
		Sources    []sourceView   `json:"sources"`
		Shots      []store.Shot   `json:"shots"`
		Deliveries []deliveryView `json:"deliveries"`
	}
	revisionView struct {
		Number   int             `json:"number"`
		Label    string          `json:"label"`
		Author   string          `json:"author"`
		At       time.Time       `json:"at"`
		CanUndo  bool            `json:"canUndo"`
		CanRedo  bool            `json:"canRedo"`
		Document *cover.Document `json:"document"`
	}
	editView struct {
		State   int       `json:"state" doc:"to jump to; 0 is before the first edit"`
		Label   string    `json:"label"`
		Author  string    `json:"author"`
		At      time.Time `json:"at"`
		Current bool      `json:"current" doc:"the shot shows the document after this edit"`
		Undone  bool      `json:"undone" doc:"can be redone"`
	}
	shotView struct {
		store.Shot
		SourceInfo    sourceView         `json:"sourceInfo"`
		ProgrammeName string             `json:"programmeName"`
		Items         []store.Item       `json:"items"`
		Appearances   []store.Appearance `json:"appearances" doc:"how far they have come"`
		Revision      revisionView       `json:"revision"`
		Looks         store.Looks        `json:"looks" doc:"by cover and frame: the digest of the cover when somebody looked at it and found it right"`
	}
	EditBody struct {
		Base     int            `json:"base" minimum:"0" doc:"the revision that the commands were made on"`
		Key      string         `json:"key,omitempty" maxLength:"64" pattern:"^[A-Za-z0-9-]*$" doc:"names the change: sent again, because its answer was lost, it is not made again"`
		Commands cover.Commands `json:"commands" minItems:"1" maxItems:"1000"`
	}
	BaseBody struct {
		Base int    `json:"base" minimum:"0"`
		Key  string `json:"key,omitempty" maxLength:"64" pattern:"^[A-Za-z0-9-]*$" doc:"names the change, as for an edit"`
	}
	patchOut struct {
		Status       int
		ContentType  string `header:"Content-Type"`
		CacheControl string `header:"Cache-Control"`
		Quick        string `header:"Celator-Quick" doc:"true where the patch is to be asked for again, exact"`
		Regions      string `header:"Celator-Regions" doc:"x,y,w,h of each rectangle of the view, in the order in which their pixels (R, G, B, A bytes) are stacked"`
		Body         []byte
	}
)

func (s *server) register(api huma.API) {
	for _, subject := range []func(huma.API){
		s.registerProgrammes, s.registerSources, s.registerShots, s.registerEdits, s.registerHistory, s.registerDeliveries,
		s.registerMasters, s.registerReels, s.registerHandovers,
		s.registerPresets,
		s.registerWork,
		s.registerList, s.registerBoundaries, s.registerChecking, s.registerProposals, s.registerMarks,
		s.registerFollowing, s.registerStyling,
	} {
		subject(api)
	}
	onlyBodies(api)
}
