package mqtt

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"log/slog"
	"math/big"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	paho "github.com/eclipse/paho.mqtt.golang"
	broker "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/hooks/auth"
	"github.com/mochi-mqtt/server/v2/listeners"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/links/testhall"
)

// newBroker starts one; it is stopped by what comes back.
func newBroker(t *testing.T, at string, secure *tls.Config) (stop func()) {
	b := broker.New(&broker.Options{Logger: slog.New(slog.DiscardHandler)})
	require.NoError(t, b.AddHook(new(auth.AllowHook), nil))
	require.NoError(t, b.AddListener(listeners.NewTCP(listeners.Config{ID: "t", Address: at, TLSConfig: secure})))
	require.NoError(t, b.Serve())
	var once sync.Once
	stop = func() { once.Do(func() { _ = b.Close() }) }
	t.Cleanup(stop)
	return stop
}

// listener is a client that hears everything.
type listener struct {
	t *testing.T
	paho.Client
	mu    sync.Mutex
	heard map[string][]string
}

func listen(t *testing.T, at string) *listener {
	l := &listener{t: t, heard: map[string][]string{}}
	o := paho.NewClientOptions().AddBroker("tcp://" + at).SetClientID("ear").SetAutoReconnect(true).SetMaxReconnectInterval(100 * time.Millisecond)
	o.SetOnConnectHandler(func(c paho.Client) {
		c.Subscribe("#", 1, func(_ paho.Client, m paho.Message) {
			l.mu.Lock()
			defer l.mu.Unlock()
			l.heard[m.Topic()] = append(l.heard[m.Topic()], string(m.Payload()))
		})
	})
	l.Client = paho.NewClient(o)
	tok := l.Connect()
	tok.Wait()
	require.NoError(t, tok.Error())
	t.Cleanup(func() { l.Disconnect(50) })
	return l
}

func (l *listener) last(topic string) string {
	l.mu.Lock()
	defer l.mu.Unlock()
	if h := l.heard[topic]; len(h) > 0 {
		return h[len(h)-1]
	}
	return ""
}

func (l *listener) all(topic string) []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return append([]string{}, l.heard[topic]...)
}

func (l *listener) hears(topic, part string) {
	l.t.Helper()
	require.Eventually(l.t, func() bool { return strings.Contains(l.last(topic), part) }, 20*time.Second, 5*time.Millisecond, "%s: %s; it is %s", topic, part, l.last(topic))
}

func (l *listener) says(topic, payload string) {
	tok := l.Publish(topic, 1, false, payload)
	require.True(l.t, tok.WaitTimeout(5*time.Second))
	require.NoError(l.t, tok.Error())
}

func open(t *testing.T, c Config) (*Client, *testhall.Hall, *links.Tags) {
	h := testhall.New()
	tags := h.Tags(t)
	m, err := Open(c, h, tags, time.Now)
	require.NoError(t, err)
	t.Cleanup(m.Close)
	return m, h, tags
}

func TestTheBrokerIsToldAndCommands(t *testing.T) {
	at := testhall.FreeAddress(t)
	newBroker(t, at, nil)
	ear := listen(t, at)
	m, h, tags := open(t, Config{Broker: "tcp://" + at, Topic: "plant/hall1", Items: ItemsAll})
	ear.hears("plant/hall1/online", "1")
	ear.hears("plant/hall1/lines/line1/state", `"status":"held"`)
	ear.hears("plant/hall1/tags/tips-least", `{"valid":true,"value":12,"text":"12"}`)

	it := testhall.Item(9, 11.5)
	tags.Item(it)
	m.Item(it)
	m.Package(&line.Package{Line: "line1", Seq: 9, Route: "reject", Fault: "late"})
	m.Alarm(alarm.Alarm{ID: 4, Line: "line1", Kind: alarm.Late, Text: "late"})
	ear.hears("plant/hall1/stations/line1-top/item", `"readings":{"tips.count":11.5},"texts":{"lot.text":"L 47"}`)
	ear.hears("plant/hall1/lines/line1/package", `"route":"reject","fault":"late"`)
	ear.hears("plant/hall1/alarm", `"kind":"late"`)
	ear.hears("plant/hall1/tags/tips", `"value":11.5`)

	ask := func(payload string) answer {
		before := len(ear.all("plant/hall1/lines/line1/answer"))
		ear.says("plant/hall1/lines/line1/command", payload)
		var a answer
		require.Eventually(t, func() bool {
			all := ear.all("plant/hall1/lines/line1/answer")
			return len(all) > before && json.Unmarshal([]byte(all[len(all)-1]), &a) == nil
		}, 5*time.Second, time.Millisecond)
		return a
	}
	assert.Equal(t, answer{ID: "a1", OK: true, Run: 7}, ask(`{"id":"a1","do":"change","product":"glue-stick-20","order":{"lot":"L9"},"who":"plc"}`))
	assert.Equal(t, answer{ID: "a2", OK: true}, ask(`{"id":"a2","do":"start","cleared":true}`))
	assert.Equal(t, answer{OK: true}, ask(`{"do":"stop"}`))
	assert.Contains(t, ask(`{"do":"dance"}`).Why, "change, start, stop or trigger")
	assert.Contains(t, ask(`dance`).Why, "no command in JSON")
	h.Fail(errors.New("nothing is released for it"))
	assert.Equal(t, answer{Why: "nothing is released for it"}, ask(`{"do":"change","product":"x"}`))
	assert.Equal(t, []string{"change line1 glue-stick-20 map[lot:L9] by MQTT", "start line1 true", "stop line1", "change line1 x map[] by MQTT"}, h.Asked())
	h.Fail(nil)
	ear.says("plant/hall1/tags/tips-least/set", "11")
	ear.hears("plant/hall1/tags/tips-least/answer", `"ok":true`)
	ear.hears("plant/hall1/tags/tips-least", `"value":11,`)
	ear.says("plant/hall1/tags/tips-least/set", "110")
	ear.hears("plant/hall1/tags/tips-least/answer", "out of bounds")

	assert.Empty(t, m.State().Trouble)
	assert.Equal(t, 1, m.State().Peers)
	m.Close()
	ear.hears("plant/hall1/online", "0")
}

func TestWhatHappensWhileTheBrokerIsGoneIsToldLater(t *testing.T) {
	at := testhall.FreeAddress(t)
	stop := newBroker(t, at, nil)
	m, h, _ := open(t, Config{Broker: "tcp://" + at, Buffer: 100})
	require.Eventually(t, func() bool { return m.State().Peers == 1 && m.State().Trouble == "" }, 5*time.Second, time.Millisecond)
	stop()
	require.Eventually(t, func() bool { return m.State().Peers == 0 }, 5*time.Second, time.Millisecond)
	for seq := int64(1); seq <= 120; seq++ {
		m.Package(&line.Package{Line: "line1", Seq: seq, Route: "pass"})
	}
	for range 5 {
		m.Line(h.State())
	}
	assert.Contains(t, m.State().Trouble, "messages wait")
	assert.Contains(t, m.State().Trouble, "messages were dropped because the buffer was full")

	newBroker(t, at, nil)
	ear := listen(t, at)
	// What was said before the ear was there is gone, but for what is retained.
	require.Eventually(t, func() bool { return m.State().Peers == 1 }, 10*time.Second, time.Millisecond)
	ear.hears("ricetta/lines/line1/state", `"held"`)
	require.Eventually(t, func() bool { n, _ := m.queue.len(); return n == 0 }, 5*time.Second, time.Millisecond)
	m.Package(&line.Package{Line: "line1", Seq: 121, Route: "pass"})
	ear.hears("ricetta/lines/line1/package", `"seq":121`)
	all := ear.all("ricetta/lines/line1/package")
	for i := 1; i < len(all); i++ {
		var a, b pack
		require.NoError(t, json.Unmarshal([]byte(all[i-1]), &a))
		require.NoError(t, json.Unmarshal([]byte(all[i]), &b))
		assert.Greater(t, b.Seq, a.Seq, "in order, once")
	}
	assert.Contains(t, m.State().Trouble, "dropped")
}

func TestTheQueueKeepsTheLastOfWhatIsRetained(t *testing.T) {
	q := newQueue(3)
	put := func(topic, payload string, retained bool) { q.add(message{topic, []byte(payload), retained}) }
	put("state", "1", true)
	put("package", "1", false)
	first, _ := q.first()
	put("state", "2", true)
	q.done(first)
	put("package", "2", false)
	put("package", "3", false)
	var got []string
	for {
		m, ok := q.first()
		if !ok {
			break
		}
		got = append(got, m.topic+string(m.payload))
		q.done(m)
	}
	assert.Equal(t, []string{"state2", "package2", "package3"}, got)
	_, dropped := q.len()
	assert.EqualValues(t, 1, dropped)
}

func TestABrokerByTLS(t *testing.T) {
	dir := t.TempDir()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	cert := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "broker"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature,
	}
	der, err := x509.CreateCertificate(rand.Reader, cert, cert, &key.PublicKey, key)
	require.NoError(t, err)
	ca := filepath.Join(dir, "ca.pem")
	require.NoError(t, os.WriteFile(ca, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
	at := testhall.FreeAddress(t)
	newBroker(t, at, &tls.Config{Certificates: []tls.Certificate{{Certificate: [][]byte{der}, PrivateKey: key}}, MinVersion: tls.VersionTLS12})
	m, _, _ := open(t, Config{Broker: "tls://" + at, CA: ca})
	require.Eventually(t, func() bool { return m.State().Peers == 1 }, 5*time.Second, time.Millisecond)
	stranger, _, _ := open(t, Config{Broker: "tls://" + at, ClientID: "other"})
	require.Eventually(t, func() bool { return strings.Contains(stranger.State().Trouble, "certificate") }, 5*time.Second, time.Millisecond, "a broker that nobody vouches for is not told anything")
}

func TestConfigurationsThatCannotBeMeantAreRefused(t *testing.T) {
	h := testhall.New()
	for say, c := range map[string]Config{
		`broker is "127.0.0.1:1883"`: {Broker: "127.0.0.1:1883"},
		`topic is "a/#"`:             {Broker: "tcp://x:1", Topic: "a/#"},
		`items is "some"`:            {Broker: "tcp://x:1", Items: "some"},
		"buffer is 5":                {Broker: "tcp://x:1", Buffer: 5},
		"password_file: open":        {Broker: "tcp://x:1", PasswordFile: "/nowhere"},
		"ca: open":                   {Broker: "tcp://x:1", CA: "/nowhere"},
	} {
		_, err := Open(c, h, h.Tags(t), time.Now)
		assert.ErrorContains(t, err, say)
	}
}

// A broker and clients of another origin.
func TestPeersOfAnotherOrigin(t *testing.T) {
	for _, name := range []string{"mosquitto", "mosquitto_sub", "mosquitto_pub"} {
		if _, err := exec.LookPath(name); err != nil {
			t.Skip("NOT COMPARED WITH ANOTHER MQTT: " + name + " is not installed")
		}
	}
	at := testhall.FreeAddress(t)
	_, port, err := net.SplitHostPort(at)
	require.NoError(t, err)
	dir := t.TempDir()
	conf := filepath.Join(dir, "m.conf")
	require.NoError(t, os.Chmod(dir, 0o777)) // as root it takes another name
	require.NoError(t, os.WriteFile(conf, []byte("listener "+port+" 127.0.0.1\nallow_anonymous true\npersistence true\npersistence_location "+dir+"/\nuser root\n"), 0o600))
	var daemon *exec.Cmd
	start := func() {
		daemon = exec.Command("mosquitto", "-c", conf)
		require.NoError(t, daemon.Start())
	}
	stop := func() { _ = daemon.Process.Signal(os.Interrupt); _ = daemon.Wait() }
	start()
	defer func() { stop() }()
	m, h, _ := open(t, Config{Broker: "tcp://" + at})
	require.Eventually(t, func() bool { return m.State().Peers == 1 && m.State().Trouble == "" }, 10*time.Second, time.Millisecond)
	sub := func(args ...string) string {
		out, err := exec.Command("mosquitto_sub", append([]string{"-h", "127.0.0.1", "-p", port, "-W", "5", "-q", "1"}, args...)...).CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	assert.Equal(t, "1\n", sub("-t", "ricetta/online", "-C", "1"))
	assert.Contains(t, sub("-t", "ricetta/lines/line1/state", "-C", "1"), `"product":"pencil-tin-12"`)

	done := make(chan string, 1)
	go func() {
		out, _ := exec.Command("mosquitto_sub", "-h", "127.0.0.1", "-p", port, "-W", "10", "-q", "1", "-t", "ricetta/lines/line1/answer", "-C", "1").CombinedOutput()
		done <- string(out)
	}()
	time.Sleep(300 * time.Millisecond)
	out, err := exec.Command("mosquitto_pub", "-h", "127.0.0.1", "-p", port, "-q", "1", "-t", "ricetta/lines/line1/command", "-m", `{"id":"x","do":"stop"}`).CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Equal(t, `{"id":"x","ok":true}`+"\n", <-done)
	assert.Equal(t, []string{"stop line1"}, h.Asked())

	// The broker goes away; a subscriber that it keeps a place for misses nothing.
	const packages = "ricetta/lines/line1/package"
	exec.Command("mosquitto_sub", "-h", "127.0.0.1", "-p", port, "-W", "1", "-q", "1", "-c", "-i", "ear", "-t", packages).Run() //nolint:errcheck // its time is over
	stop()
	require.Eventually(t, func() bool { return m.State().Peers == 0 }, 5*time.Second, time.Millisecond)
	for seq := int64(51); seq <= 100; seq++ {
		m.Package(&line.Package{Line: "line1", Seq: seq, Route: "pass"})
	}
	start()
	require.Eventually(t, func() bool { n, _ := m.queue.len(); return n == 0 }, 20*time.Second, time.Millisecond)
	got := sub("-c", "-i", "ear", "-t", packages, "-C", "50")
	for seq := int64(51); seq <= 100; seq++ {
		assert.Contains(t, got, fmt.Sprintf(`"seq":%d,`, seq))
	}
}
