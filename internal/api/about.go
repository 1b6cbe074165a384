package api

import (
	"net/http"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"ricetta/core/raster"
)

func (s *Server) about(*echo.Context, *none) (*About, error) {
	return &About{
		Name: "Ricetta", Version: s.deps.Version, Site: s.deps.Site, Started: s.deps.Started.UTC(),
		SIMD: raster.SIMD(), Demo: s.deps.Truth != nil,
	}, nil
}

func (s *Server) truth(*echo.Context, *none) (*Truth, error) {
	if s.deps.Truth == nil {
		return nil, problem(http.StatusNotFound, "No truth known", "Only the simulated plant knows the truth about its items.")
	}
	t := s.deps.Truth()
	return &t, nil
}

// healthz says that the process answers; readyz that it can do its work.
func (s *Server) health(e *echo.Echo) {
	e.GET("/healthz", func(c *echo.Context) error { return c.String(http.StatusOK, "ok\n") })
	e.GET("/readyz", func(c *echo.Context) error {
		if err := s.deps.Records.Healthy(); err != nil {
			return problem(http.StatusServiceUnavailable, "Not ready", "The records cannot be read: "+err.Error())
		}
		return c.String(http.StatusOK, "ready\n")
	})
	metrics := promhttp.HandlerFor(s.metrics(), promhttp.HandlerOpts{DisableCompression: true})
	e.GET("/metrics", echo.WrapHandler(metrics))
}

// metrics are gathered from the stations' own counters when asked for.
func (s *Server) metrics() *prometheus.Registry {
	r := prometheus.NewRegistry()
	r.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), &stationMetrics{s})
	return r
}

type stationMetrics struct{ s *Server }

var (
	itemsMetric    = prometheus.NewDesc("ricetta_items_total", "Items recorded in the run, since the service started.", []string{"station", "route"}, nil)
	faultsMetric   = prometheus.NewDesc("ricetta_faults_total", "Items with a fault in the run, since the service started.", []string{"station"}, nil)
	runningMetric  = prometheus.NewDesc("ricetta_station_running", "1 while the station runs.", []string{"station"}, nil)
	underwayMetric = prometheus.NewDesc("ricetta_packages_underway", "Packages between trigger and last ejector.", []string{"line"}, nil)
	packagesMetric = prometheus.NewDesc("ricetta_run_packages", "Packages of the line's run.", []string{"line", "route"}, nil)
	picturesMetric = prometheus.NewDesc("ricetta_pictures_bytes", "Bytes of all pictures kept.", nil, nil)
)

// Describe implements prometheus.Collector.
func (m *stationMetrics) Describe(ch chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{itemsMetric, faultsMetric, runningMetric, underwayMetric, packagesMetric, picturesMetric} {
		ch <- d
	}
}

// Collect implements prometheus.Collector.
func (m *stationMetrics) Collect(ch chan<- prometheus.Metric) {
	for _, c := range m.s.deps.Stations {
		st := c.State()
		id := st.Config.ID
		for route, n := range st.Counters.Routes {
			ch <- prometheus.MustNewConstMetric(itemsMetric, prometheus.CounterValue, float64(n), id, route)
		}
		running := 0.0
		if st.Status == "running" {
			running = 1
		}
		ch <- prometheus.MustNewConstMetric(faultsMetric, prometheus.CounterValue, float64(st.Counters.Faults), id)
		ch <- prometheus.MustNewConstMetric(runningMetric, prometheus.GaugeValue, running, id)
	}
	for _, l := range m.s.deps.Lines {
		st := l.State()
		ch <- prometheus.MustNewConstMetric(underwayMetric, prometheus.GaugeValue, float64(st.Underway), st.Config.ID)
		for route, n := range st.Counters.Routes {
			ch <- prometheus.MustNewConstMetric(packagesMetric, prometheus.GaugeValue, float64(n), st.Config.ID, route)
		}
	}
	ch <- prometheus.MustNewConstMetric(picturesMetric, prometheus.GaugeValue, float64(m.s.deps.Records.PictureBytes()))
}
