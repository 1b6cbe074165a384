package plant

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/core/raster"
	"ricetta/internal/station"
)

func TestCameraIsSetUpByItself(t *testing.T) {
	if testing.Short() {
		t.Skip("it draws a hundred pictures, which the race detector makes slow and gains nothing by")
	}
	belt := NewLine(LineConfig{Seed: 3, Product: Rolls})
	l := belt.Camera("x", 0)
	at := func(change func(s *station.CameraSettings)) {
		s := delivered
		change(&s)
		require.NoError(t, l.Set(s))
	}
	snap := func() raster.Quality {
		pic, err := l.Snap(t.Context())
		require.NoError(t, err)
		return raster.QualityOf(pic)
	}
	good := snap()
	for _, exposure := range []float64{0.1, 15} {
		at(func(s *station.CameraSettings) { s.ExposureMS = exposure })
		s, err := station.FindExposure(t.Context(), l)
		require.NoError(t, err)
		q := snap()
		assert.InDelta(t, 225, q.Top, 7, "from %g ms it comes to %g", exposure, s.ExposureMS)
		assert.Less(t, q.Burnt, 0.01)
	}
	at(func(s *station.CameraSettings) { s.Light, s.ExposureMS = 5, 1 })
	_, err := station.FindExposure(t.Context(), l)
	assert.ErrorContains(t, err, "still too dark at an exposure of 20 ms")

	for _, focus := range []float64{12} {
		at(func(s *station.CameraSettings) { s.Focus = focus })
		before := snap()
		s, err := station.FindFocus(t.Context(), l)
		require.NoError(t, err)
		assert.InDelta(t, delivered.Focus, s.Focus, 4, "from %g", focus)
		assert.Greater(t, snap().Sharpness, before.Sharpness)
		assert.InEpsilon(t, good.Sharpness, snap().Sharpness, 0.02)
	}
	require.ErrorContains(t, l.Set(station.CameraSettings{ExposureMS: 99, Light: 50}), "exposure_ms: 99 is out of the camera's range; give 0.05 to 20")
	belt.Break(true, false)
	at(func(s *station.CameraSettings) { s.Focus = 20 })
	_, err = station.FindFocus(t.Context(), l)
	require.ErrorContains(t, err, "does not answer")
	assert.InDelta(t, 20, l.Settings().Focus, 0, "the lens is put back where it was")
}

func TestDeliveredCameraAltersNothing(t *testing.T) {
	p := DrawOf(Rolls, 3, 1, nil)
	assert.Equal(t, p.Picture().RGB.R, developed(p.Picture(), delivered, 300, true, 1).RGB.R)
	long := delivered
	long.ExposureMS, long.Light = 20, 10
	still, moving := developed(p.Picture(), long, 300, false, 1), developed(p.Picture(), long, 300, true, 1)
	assert.Greater(t, raster.QualityOf(still).Sharpness, 1.1*raster.QualityOf(moving).Sharpness, "what moves is smeared by a long exposure")
}
