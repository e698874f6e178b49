package figures_test

import (
	"durvek/desk"
	"durvek/store"
)

type (
	deskTx  = desk.Tx
	cellKey = store.CellKey
)
