package identity

import (
	"errors"
	"slices"
	"strings"
	"testing"
)

// TestEveryActionHasARule expects of each action a name of a thing and a deed, something that it is done to, and somebody who may.
func TestEveryActionHasARule(t *testing.T) {
	all := Actions()
	if len(all) < 90 {
		t.Fatalf("%d actions", len(all))
	}
	seen := map[Action]bool{}
	for _, action := range all {
		r := rules[action]
		if seen[action] || strings.Count(string(action), ".") != 1 || strings.ToLower(string(action)) != string(action) {
			t.Errorf("%s is named badly, or twice", action)
		}
		seen[action] = true
		if !slices.Contains(Things, r.on) {
			t.Errorf("%s is done to %q, which is no thing", action, r.on)
		}
		if r.least == 0 && len(r.also) == 0 {
			t.Errorf("nobody may %s", action)
		}
		for _, kind := range r.also {
			if kind == Person || !slices.Contains(Kinds, kind) {
				t.Errorf("%s may be done by %q", action, kind)
			}
		}
	}
}

// TestWhoMay asks for what matters most of each kind of actor (the permissions of docs/architecture.md).
func TestWhoMay(t *testing.T) {
	supplier, dropper := Actor{Kind: Supplier, Name: "Apigrund"}, Actor{Kind: DropPerson, Name: "mara"}
	for _, c := range []struct {
		who    Actor
		action Action
		may    bool
	}{
		{Specialist, PlanApply, true}, {Specialist, HoldingPurge, true}, {Specialist, UpkeepSet, true},
		{supplier, LinkHandIn, true}, {supplier, UploadFinish, true}, {supplier, FileDecide, false}, {supplier, PlanApply, false},
		{supplier, HoldingPurge, false}, {supplier, OutletSend, false},
		{dropper, PlanApply, false}, {dropper, LotDiscard, false},
		{Due, OriginFetch, true}, {Due, OutletSend, true}, {Due, SweepBegin, true}, {Due, FileDecide, false}, {Due, OutletChange, false},
		{Ambrosa, OutletChange, false}, {Ambrosa, PlanRevert, false},
		{Actor{Kind: "stranger", Name: "x"}, LotCreate, false}, {Specialist, "lot.burn", false},
	} {
		err := May(c.who, c.action)
		var refused Refused
		if (err == nil) != c.may || err != nil && (!errors.As(err, &refused) || refused.Who != c.who || refused.Action != c.action) {
			t.Errorf("%s %s: %v", c.who.Name, c.action, err)
		}
	}
}

// TestRolesGrow expects that each role may what those before it may: the least role decides.
func TestRolesGrow(t *testing.T) {
	if !(Reader < Coordinator && Coordinator < Worker && Worker < Steward) {
		t.Error("the roles are not in order")
	}
	for _, action := range []Action{UpkeepSet, MailingSet, HoldingPurge} {
		if rules[action].least != Steward {
			t.Errorf("%s needs %d", action, rules[action].least)
		}
	}
	for _, action := range []Action{FileDecide, PlanApply} {
		if rules[action].least != Worker {
			t.Errorf("%s needs %d", action, rules[action].least)
		}
	}
}
