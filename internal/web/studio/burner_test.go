package studio

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/disc/player"
)

// Where a button leads is told to the page one place after the other.
func TestWhereAButtonLeads(t *testing.T) {
	b := player.Button{To: player.Place{Title: 2}, Then: []player.Place{{Title: 3}, {Page: 1}}}
	assert.Equal(t, "title 2,title 3,page 1", stepView{}.Then(b))
	assert.Equal(t, "end", stepView{}.Then(player.Button{}))
	assert.Equal(t, "Film 3", stepView{}.Name(2))
}
