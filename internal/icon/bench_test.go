package icon

import (
	"context"
	"os"
	"testing"

	"github.com/stretchr/testify/require"
)

func BenchmarkStandardSet(b *testing.B) {
	data, err := os.ReadFile("../../demo/site/assets/brand/mark.svg")
	require.NoError(b, err)
	_, err = svgEngine()
	require.NoError(b, err)
	for b.Loop() {
		m, err := Load(context.Background(), "mark.svg", data)
		require.NoError(b, err)
		_, _, err = Make(context.Background(), m, Standard, Options{})
		require.NoError(b, err)
	}
}
