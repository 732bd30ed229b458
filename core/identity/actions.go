package identity

import (
	"fmt"
	"maps"
	"slices"
)

// Thing is a kind of thing that a change is made to.
type Thing string

// What changes are made to.
const (
	Lot      Thing = "lot"
	File     Thing = "file"
	Upload   Thing = "upload"
	Plan     Thing = "plan"
	Product  Thing = "product"
	Variant  Thing = "variant"
	Category Thing = "category"
	Sheet    Thing = "sheet"
	Import   Thing = "import"
	Origin   Thing = "origin"
	ClueList Thing = "clue list"
	Link     Thing = "supplier link"
	Request  Thing = "request"
	ShotList Thing = "shot list"
	Outlet   Thing = "outlet"
	Dispatch Thing = "dispatch"
	Texts    Thing = "texts"
	Decision Thing = "decision"
	Holding  Thing = "holding"
	Receipt  Thing = "receipt"
	Sweep    Thing = "sweep"
	Run      Thing = "run"
	Settings Thing = "settings"
	Message  Thing = "message"
	Catalog  Thing = "catalog"
	ShelfAct Thing = "shelf change"
	Dropping Thing = "drop person"
)

// Things are all kinds of things that changes are made to.
var Things = []Thing{Lot, File, Upload, Plan, Product, Variant, Category, Sheet, Import, Origin, ClueList, Link, Request, ShotList, Outlet,
	Dispatch, Texts, Decision, Holding, Receipt, Sweep, Run, Settings, Message, Catalog, ShelfAct, Dropping}

// Role is what a person is trusted with; each role may what those before it may.
type Role int

// The roles.
const (
	Reader      Role = iota + 1 // sees
	Coordinator                 // gathers, and brings sheets up to their check; requests and supplier links
	Worker                      // the specialist's daily work
	Steward                     // everything
)

// RoleOf is the role of an actor. There is one person until accounts come, who may do all.
func RoleOf(who Actor) Role {
	if who.Kind == Person {
		return Steward
	}
	return 0
}

// Action is something that can be done, by a name that does not change.
type Action string

// rule says what an action is done to, and who may do it.
type rule struct {
	on Thing
	// least is the role that a person has to have at least.
	least Role
	// also are the kinds of actors that may do it beside people.
	also []Kind
	// step tells that it is a part of what is recorded elsewhere, and leaves no entry of its own.
	step bool
}

// Actions, by what they are done to.
const (
	LotCreate    Action = "lot.create"
	LotClose     Action = "lot.close"
	LotDiscard   Action = "lot.discard"
	LotRestore   Action = "lot.restore"
	LotFinish    Action = "lot.finish"
	LotReopen    Action = "lot.reopen"
	LotForget    Action = "lot.forget" // one that nothing came to
	LotRead      Action = "lot.read"   // its names, with clues
	LotScan      Action = "lot.scan"   // its pictures, for barcodes
	LotReadWith  Action = "lot.read-with"
	LotTeach     Action = "lot.teach"
	LotRights    Action = "lot.rights"
	LotExamine   Action = "lot.examine"
	UploadBegin  Action = "upload.begin"
	UploadFinish Action = "upload.finish"
	UploadGiveUp Action = "upload.give-up"

	FileDecide   Action = "file.decide"
	FileTakeBack Action = "file.take-back"
	FileOrder    Action = "file.order"
	FilePin      Action = "file.pin"
	FileUnpin    Action = "file.unpin"
	ShelfChange  Action = "shelf.change"
	ShelfUndo    Action = "shelf.undo"

	PlanMake     Action = "plan.make"
	PlanSpread   Action = "plan.spread"
	PlanSwap     Action = "plan.swap"
	PlanChange   Action = "plan.change"
	PlanSetAside Action = "plan.set-aside"
	PlanRemake   Action = "plan.remake"
	PlanApply    Action = "plan.apply"
	PlanApplied  Action = "plan.applied"
	PlanRevert   Action = "plan.revert"
	PlanReverted Action = "plan.reverted"
	// A product, variant or category as a plan, a person or an import changes it.
	PicturesPlace    Action = "pictures.place"
	PicturesRevert   Action = "pictures.revert"
	PicturesEdit     Action = "pictures.arrange"
	PicturesViews    Action = "pictures.views"
	PicturesTransfer Action = "pictures.transfer"

	ProductChange  Action = "product.change"
	CategoryChange Action = "category.change"
	CatalogImport  Action = "catalog.import"
	ProductImport  Action = "product.import"

	SheetBring   Action = "sheet.bring"
	SheetRead    Action = "sheet.read"
	SheetMap     Action = "sheet.map"
	SheetEdit    Action = "sheet.edit"
	SheetCheck   Action = "sheet.check"
	SheetKeep    Action = "sheet.keep-mapping"
	SheetDiscard Action = "sheet.discard"
	SheetRestore Action = "sheet.restore"
	SheetImport  Action = "sheet.import"
	SheetPair    Action = "sheet.pair"
	SheetUnpair  Action = "sheet.unpair"
	ImportRevert Action = "import.revert"
	ImportUndo   Action = "product.import-revert"

	OriginMake     Action = "origin.make"
	OriginChange   Action = "origin.change"
	OriginRemove   Action = "origin.remove"
	OriginFetch    Action = "origin.fetch"
	OriginPictures Action = "origin.take-pictures"
	OriginAsk      Action = "origin.ask"
	OriginTake     Action = "origin.take-answers"
	OriginDecline  Action = "origin.decline-answers"
	ClueListMake   Action = "clue-list.make"
	ClueListChange Action = "clue-list.change"
	ClueListRemove Action = "clue-list.remove"

	LinkMake    Action = "supplier-link.make"
	LinkRenew   Action = "supplier-link.renew"
	LinkRevoke  Action = "supplier-link.revoke"
	LinkHandIn  Action = "supplier-link.hand-in"
	DropAdd     Action = "drop-person.add"
	DropRemove  Action = "drop-person.remove"
	DropTake    Action = "drop-folder.take"
	RequestMake Action = "request.make"
	RequestEnd  Action = "request.close"

	ShotListSet    Action = "shot-list.set"
	ShotListRemove Action = "shot-list.remove"
	TextsKeep      Action = "texts.keep"
	TextsUndo      Action = "texts.undo"

	OutletMake     Action = "outlet.make"
	OutletChange   Action = "outlet.change"
	OutletRemove   Action = "outlet.remove"
	OutletExcept   Action = "outlet.except"
	OutletUnexcept Action = "outlet.end-exception"
	OutletSend     Action = "outlet.send"
	DispatchLink   Action = "dispatch.link"
	DispatchUnlink Action = "dispatch.end-link"
	DispatchMailed Action = "dispatch.mailed"
	DispatchEnd    Action = "dispatch.end"
	PackageDrop    Action = "dispatch.drop-package"

	SweepBegin     Action = "sweep.begin"
	SweepEnd       Action = "sweep.end"
	FindingsHold   Action = "findings.hold"
	HoldingRestore Action = "holding.restore"
	HoldingPurge   Action = "holding.purge"
	StrayDrop      Action = "stray.drop"
	StrayTake      Action = "stray.take-in"

	RunStop   Action = "run.stop"
	RunResume Action = "run.resume"
	RunEnd    Action = "run.end"

	UpkeepSet   Action = "settings.upkeep"
	MailingSet  Action = "settings.mailing"
	MessageRead Action = "message.read"
	MessageMail Action = "message.mail"

	// Keep is what Ambrosa keeps in order beside: counts, fingerprints, leases, what is past its term.
	Keep Action = "ambrosa.keep"
)

var (
	bySupplier = []Kind{Supplier}
	byBringers = []Kind{Supplier, DropPerson, Timetable, Program}
	byItself   = []Kind{Timetable, Program}
	byProgram  = []Kind{Program}
)

// rules is the one table that says who may do what.
var rules = map[Action]rule{
	LotCreate:    {on: Lot, least: Coordinator, also: byBringers},
	LotClose:     {on: Lot, least: Coordinator, also: byBringers},
	LotDiscard:   {on: Lot, least: Coordinator, also: bySupplier},
	LotRestore:   {on: Lot, least: Coordinator},
	LotFinish:    {on: Lot, least: Worker},
	LotReopen:    {on: Lot, least: Worker},
	LotForget:    {on: Lot, least: Coordinator, also: byBringers},
	LotRead:      {on: Lot, least: Worker, also: []Kind{Supplier, DropPerson, Timetable, Program}},
	LotScan:      {on: Lot, least: Worker, also: []Kind{Supplier, DropPerson, Timetable, Program}},
	LotReadWith:  {on: Lot, least: Worker},
	LotTeach:     {on: Lot, least: Worker},
	LotRights:    {on: Lot, least: Worker},
	LotExamine:   {on: Lot, least: Coordinator, also: []Kind{Supplier, DropPerson, Timetable, Program}},
	UploadBegin:  {on: Upload, least: Coordinator, also: byBringers, step: true},
	UploadFinish: {on: Upload, least: Coordinator, also: byBringers},
	UploadGiveUp: {on: Upload, least: Coordinator, also: byBringers},

	FileDecide:   {on: File, least: Worker, also: byProgram},
	FileTakeBack: {on: File, least: Worker, also: byProgram},
	FileOrder:    {on: Lot, least: Worker},
	FilePin:      {on: File, least: Worker},
	FileUnpin:    {on: File, least: Worker},
	ShelfChange:  {on: File, least: Worker, also: byProgram},
	ShelfUndo:    {on: ShelfAct, least: Worker},

	PlanMake:         {on: Plan, least: Worker, also: byProgram},
	PlanSpread:       {on: Plan, least: Worker},
	PlanSwap:         {on: Plan, least: Worker},
	PlanChange:       {on: Plan, least: Worker},
	PlanSetAside:     {on: Plan, least: Worker},
	PlanRemake:       {on: Plan, least: Worker, also: byProgram},
	PlanApply:        {on: Plan, least: Worker, also: byProgram},
	PlanApplied:      {on: Plan, least: Worker, also: byProgram},
	PlanRevert:       {on: Plan, least: Worker},
	PlanReverted:     {on: Plan, least: Worker},
	PicturesPlace:    {on: Product, least: Worker, also: byProgram},
	PicturesRevert:   {on: Product, least: Worker},
	PicturesEdit:     {on: Product, least: Worker},
	PicturesViews:    {on: Product, least: Worker},
	PicturesTransfer: {on: Product, least: Worker},

	ProductChange:  {on: Product, least: Worker},
	CategoryChange: {on: Category, least: Worker},
	CatalogImport:  {on: Catalog, least: Worker},
	ProductImport:  {on: Product, least: Worker},

	SheetBring:   {on: Sheet, least: Coordinator, also: []Kind{Supplier, DropPerson, Timetable, Program}},
	SheetRead:    {on: Sheet, least: Coordinator, also: []Kind{Supplier, DropPerson, Timetable, Program}},
	SheetMap:     {on: Sheet, least: Coordinator, also: []Kind{Supplier, DropPerson, Timetable, Program}},
	SheetEdit:    {on: Sheet, least: Coordinator},
	SheetCheck:   {on: Sheet, least: Coordinator, also: []Kind{Supplier, DropPerson, Timetable, Program}},
	SheetKeep:    {on: Sheet, least: Worker},
	SheetDiscard: {on: Sheet, least: Coordinator},
	SheetRestore: {on: Sheet, least: Coordinator},
	SheetImport:  {on: Sheet, least: Worker},
	SheetPair:    {on: Sheet, least: Worker},
	SheetUnpair:  {on: Sheet, least: Worker},
	ImportRevert: {on: Import, least: Worker},
	ImportUndo:   {on: Product, least: Worker},

	OriginMake:     {on: Origin, least: Steward},
	OriginChange:   {on: Origin, least: Steward},
	OriginRemove:   {on: Origin, least: Steward},
	OriginFetch:    {on: Origin, least: Coordinator, also: []Kind{Timetable}},
	OriginPictures: {on: Lot, least: Coordinator},
	OriginAsk:      {on: Origin, least: Coordinator},
	OriginTake:     {on: Origin, least: Worker},
	OriginDecline:  {on: Origin, least: Worker},
	ClueListMake:   {on: ClueList, least: Worker},
	ClueListChange: {on: ClueList, least: Worker},
	ClueListRemove: {on: ClueList, least: Worker},

	LinkMake:    {on: Link, least: Coordinator},
	LinkRenew:   {on: Link, least: Coordinator},
	LinkRevoke:  {on: Link, least: Coordinator},
	LinkHandIn:  {on: Lot, also: bySupplier},
	DropAdd:     {on: Dropping, least: Steward},
	DropRemove:  {on: Dropping, least: Steward},
	DropTake:    {on: Lot, least: Coordinator, also: byProgram},
	RequestMake: {on: Request, least: Coordinator},
	RequestEnd:  {on: Request, least: Coordinator},

	ShotListSet:    {on: ShotList, least: Worker},
	ShotListRemove: {on: ShotList, least: Worker},
	TextsKeep:      {on: Texts, least: Worker},
	TextsUndo:      {on: Texts, least: Worker},

	OutletMake:     {on: Outlet, least: Steward},
	OutletChange:   {on: Outlet, least: Steward},
	OutletRemove:   {on: Outlet, least: Steward},
	OutletExcept:   {on: Outlet, least: Worker},
	OutletUnexcept: {on: Outlet, least: Worker},
	OutletSend:     {on: Outlet, least: Worker, also: []Kind{Timetable}},
	DispatchLink:   {on: Dispatch, least: Worker, also: []Kind{Timetable}},
	DispatchUnlink: {on: Dispatch, least: Worker},
	DispatchMailed: {on: Dispatch, least: Worker, also: []Kind{Timetable}},
	DispatchEnd:    {on: Dispatch, least: Worker, also: []Kind{Timetable}},
	PackageDrop:    {on: Dispatch, also: byItself},

	SweepBegin:     {on: Sweep, least: Worker, also: byItself},
	SweepEnd:       {on: Sweep, least: Worker, also: byItself},
	FindingsHold:   {on: Holding, least: Worker},
	HoldingRestore: {on: Holding, least: Worker},
	HoldingPurge:   {on: Receipt, least: Steward, also: byItself},
	StrayDrop:      {on: Receipt, least: Steward},
	StrayTake:      {on: Lot, least: Worker},

	RunStop:   {on: Run, least: Coordinator},
	RunResume: {on: Run, least: Coordinator},
	RunEnd:    {on: Run, least: Reader, also: []Kind{Supplier, DropPerson, Timetable, Program}},

	UpkeepSet:   {on: Settings, least: Steward},
	MailingSet:  {on: Settings, least: Steward},
	MessageRead: {on: Message, least: Reader, step: true},
	MessageMail: {on: Message, also: byProgram, step: true},

	Keep: {on: Settings, also: byProgram, step: true},
}

// Actions returns all actions, in order of their names.
func Actions() []Action { return slices.Sorted(maps.Keys(rules)) }

// On is what an action is done to.
func (a Action) On() Thing { return rules[a].on }

// IsStep tells whether an action is a part of what is recorded elsewhere.
func (a Action) IsStep() bool { return rules[a].step }

// Refused means that an actor may not do something.
type Refused struct {
	Who    Actor
	Action Action
}

func (r Refused) Error() string {
	return fmt.Sprintf("%s %q may not %s", r.Who.Kind, r.Who.Name, r.Action)
}

// May answers whether an actor may do something: nil, or a Refused.
func May(who Actor, action Action) error {
	r, known := rules[action]
	switch {
	case !known:
	case who.Kind == Person && r.least > 0 && RoleOf(who) >= r.least:
		return nil
	case who.Kind != Person && slices.Contains(r.also, who.Kind):
		return nil
	}
	return Refused{who, action}
}
