package api

import (
	"maps"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/identity"
)

// reads are the operations that change nothing although they are sent as a POST: what they ask does not fit into an address.
var reads = []string{"preview-clues", "try-name", "sum-findings", "rehearse-dispatch", "try-outlet", "page-pictures", "try-column",
	"report-texts", "learn-rewriting", "measure-pictures", "look-at-page", "propose-selectors", "try-recipe"}

// deeds says which action each operation is that changes something. One that is missing does not start.
var deeds = map[string]identity.Action{
	"change-products":      identity.ProductChange,
	"write-variants":       identity.ProductChange,
	"change-category":      identity.CategoryChange,
	"arrange-category":     identity.PicturesEdit,
	"arrange-product":      identity.PicturesEdit,
	"set-views":            identity.PicturesViews,
	"transfer-pictures":    identity.PicturesTransfer,
	"import-products":      identity.CatalogImport,
	"add-clue-list":        identity.ClueListMake,
	"remove-clue-list":     identity.ClueListRemove,
	"change-clue-list":     identity.ClueListChange,
	"read-lot-with":        identity.LotReadWith,
	"teach":                identity.LotTeach,
	"take-back-decision":   identity.FileTakeBack,
	"decide-file":          identity.FileDecide,
	"decide-together":      identity.FileDecide,
	"accept-together":      identity.FileDecide,
	"set-aside":            identity.FileDecide,
	"order-pictures":       identity.FileOrder,
	"create-lot":           identity.LotCreate,
	"close-lot":            identity.LotClose,
	"give-up-lot":          identity.LotDiscard,
	"restore-lot":          identity.LotRestore,
	"finish-lot":           identity.LotFinish,
	"reopen-lot":           identity.LotReopen,
	"look-at-lot":          identity.LotScan,
	"pair-lot":             identity.LotRead,
	"set-rights":           identity.LotRights,
	"plan-lot":             identity.PlanMake,
	"make-plan":            identity.PlanMake,
	"spread-picture":       identity.PlanSpread,
	"apply-plan":           identity.PlanApply,
	"set-plan-change":      identity.PlanChange,
	"refresh-plan":         identity.PlanRemake,
	"replan":               identity.PlanRemake,
	"revert-plan":          identity.PlanRevert,
	"set-aside-of-plan":    identity.PlanSetAside,
	"put-file-back":        identity.PlanSwap,
	"merge-findings":       identity.PlanSwap,
	"hold-findings":        identity.FindingsHold,
	"restore-held":         identity.HoldingRestore,
	"purge":                identity.HoldingPurge,
	"pin-files":            identity.FilePin,
	"unpin-files":          identity.FileUnpin,
	"sweep":                identity.SweepBegin,
	"set-upkeep":           identity.UpkeepSet,
	"drop-strays":          identity.StrayDrop,
	"take-strays-in":       identity.StrayTake,
	"change-shelf":         identity.ShelfChange,
	"undo-shelf":           identity.ShelfUndo,
	"bring-sheet":          identity.SheetBring,
	"read-sheet-again":     identity.SheetRead,
	"map-sheet":            identity.SheetMap,
	"edit-sheet-row":       identity.SheetEdit,
	"mend-sheet":           identity.SheetEdit,
	"rehearse-sheet":       identity.SheetCheck,
	"keep-mapping":         identity.SheetKeep,
	"give-up-sheet":        identity.SheetDiscard,
	"restore-sheet":        identity.SheetRestore,
	"import-sheet":         identity.SheetImport,
	"revert-import":        identity.ImportRevert,
	"pair-by-sheet":        identity.SheetPair,
	"unpair-sheet":         identity.SheetUnpair,
	"fetch-sheet-pictures": identity.OriginPictures,
	"retire-gone":          identity.ProductChange,
	"create-origin":        identity.OriginMake,
	"update-origin":        identity.OriginChange,
	"delete-origin":        identity.OriginRemove,
	"fetch-origin":         identity.OriginFetch,
	"take-pictures":        identity.OriginPictures,
	"ask-lookup":           identity.OriginAsk,
	"take-candidates":      identity.OriginTake,
	"decline-candidates":   identity.OriginDecline,
	"add-supplier-link":    identity.LinkMake,
	"renew-supplier-link":  identity.LinkRenew,
	"revoke-supplier-link": identity.LinkRevoke,
	"open-hand-in":         identity.LinkHandIn,
	"add-drop-person":      identity.DropAdd,
	"remove-drop-person":   identity.DropRemove,
	"take-dropped":         identity.DropTake,
	"make-request":         identity.RequestMake,
	"close-request":        identity.RequestEnd,
	"set-shot-list":        identity.ShotListSet,
	"keep-texts":           identity.TextsKeep,
	"undo-texts":           identity.TextsUndo,
	"make-outlet":          identity.OutletMake,
	"set-outlet":           identity.OutletChange,
	"remove-outlet":        identity.OutletRemove,
	"dispatch":             identity.OutletSend,
	"give-exceptions":      identity.OutletExcept,
	"end-exceptions":       identity.OutletUnexcept,
	"give-package-link":    identity.DispatchLink,
	"end-package-link":     identity.DispatchUnlink,
	"resume-run":           identity.RunResume,
	"stop-run":             identity.RunStop,
	"set-mailing":          identity.MailingSet,
	"read-messages":        identity.MessageRead,
}

// Deeds returns which action each operation is that changes something, by the operation's id.
func Deeds() map[string]identity.Action { return maps.Clone(deeds) }

// describeDeeds says in the description which action each operation is.
func describeDeeds(api huma.API) {
	for _, item := range api.OpenAPI().Paths {
		for method, operation := range map[string]*huma.Operation{http.MethodPost: item.Post, http.MethodPut: item.Put,
			http.MethodDelete: item.Delete, http.MethodPatch: item.Patch} {
			if operation == nil || slices.Contains(reads, operation.OperationID) {
				continue
			}
			action, known := deeds[operation.OperationID]
			if !known {
				panic("nothing says which action the operation " + operation.OperationID + " is (" + method + ")")
			}
			if operation.Extensions == nil {
				operation.Extensions = map[string]any{}
			}
			operation.Extensions["x-action"] = string(action)
			if takesKey(operation) {
				operation.Parameters = append(operation.Parameters, &huma.Param{Name: keyHeader, In: "header",
					Description: "Any text that identifies this request. If it is sent again within a day, the first answer is returned",
					Schema:      &huma.Schema{Type: "string", MaxLength: ptr(200)}})
			}
		}
	}
}

func ptr[T any](v T) *T { return &v }
