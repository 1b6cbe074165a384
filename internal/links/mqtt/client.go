package mqtt

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"
	"sync"
	"time"

	paho "github.com/eclipse/paho.mqtt.golang"

	"ricetta/core/recipe"
	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/station"
)

// Config says where the broker is, and what it is told.
type Config struct {
	// Broker is tcp://host:port, or tls://host:port.
	Broker string `yaml:"broker"`
	// Topic is the one below which everything is; ricetta if it is empty.
	Topic string `yaml:"topic,omitempty"`
	// ClientID is how the broker knows this service; the topic if it is empty.
	ClientID string `yaml:"client_id,omitempty"`
	User     string `yaml:"user,omitempty"`
	// PasswordFile holds the password alone.
	PasswordFile string `yaml:"password_file,omitempty"`
	// Files in PEM: CA that signed the broker's certificate, where the machine does not know it;
	// Cert and Key where the broker wants one of this service.
	CA   string `yaml:"ca,omitempty"`
	Cert string `yaml:"cert,omitempty"`
	Key  string `yaml:"key,omitempty"`
	// Items are told all, rejects (the usual), or none.
	Items string `yaml:"items,omitempty"`
	// Buffer is how many messages wait at most while the broker is away; 10000 if it is 0.
	Buffer int `yaml:"buffer,omitempty"`
}

// What Items can be.
const (
	ItemsAll     = "all"
	ItemsRejects = "rejects"
	ItemsNone    = "none"
)

// Times of the link.
const (
	ackIn     = 5 * time.Second // that the broker may take to accept a message
	again     = 2 * time.Second // between two attempts to connect
	statePace = 500 * time.Millisecond
)

// Client is the link at work. Close it.
type Client struct {
	cfg    Config
	lines  links.Lines
	tags   *links.Tags
	clock  func() time.Time
	paho   paho.Client
	queue  *queue
	log    links.Log
	ctx    context.Context
	cancel context.CancelFunc
	wg     sync.WaitGroup

	mu      sync.Mutex
	trouble string
	states  map[string]line.State // of lines, that are to be told
	told    []links.Value         // of tags
}

// Open begins to connect. A broker that does not answer is tried until it does.
func Open(c Config, l links.Lines, tags *links.Tags, clock func() time.Time) (*Client, error) {
	if c.Topic == "" {
		c.Topic = "ricetta"
	}
	if c.ClientID == "" {
		c.ClientID = strings.ReplaceAll(c.Topic, "/", "-")
	}
	if c.Items == "" {
		c.Items = ItemsRejects
	}
	if c.Buffer == 0 {
		c.Buffer = 10_000
	}
	o, err := options(c)
	if err != nil {
		return nil, err
	}
	m := &Client{cfg: c, lines: l, tags: tags, clock: clock, queue: newQueue(c.Buffer), states: map[string]line.State{}, told: make([]links.Value, tags.Len())}
	m.trouble = "the broker at " + c.Broker + " has not answered yet"
	m.ctx, m.cancel = context.WithCancel(context.Background())
	o.SetOnConnectHandler(func(paho.Client) { m.connected() })
	o.SetConnectionLostHandler(func(_ paho.Client, err error) { m.say("the connection to the broker is lost: " + err.Error()) })
	m.paho = paho.NewClient(o)
	m.wg.Go(m.connect)
	m.wg.Go(m.publish)
	m.wg.Go(m.pace)
	return m, nil
}

func options(c Config) (*paho.ClientOptions, error) {
	if !strings.HasPrefix(c.Broker, "tcp://") && !strings.HasPrefix(c.Broker, "tls://") {
		return nil, fmt.Errorf("broker is %q; give it as in tcp://127.0.0.1:1883, or tls://…", c.Broker)
	}
	if strings.ContainsAny(c.Topic, "+# ") || strings.HasPrefix(c.Topic, "/") || strings.HasSuffix(c.Topic, "/") {
		return nil, fmt.Errorf("topic is %q; give one without + # and spaces, and no / at its ends", c.Topic)
	}
	if c.Items != ItemsAll && c.Items != ItemsRejects && c.Items != ItemsNone {
		return nil, fmt.Errorf("items is %q; give %s, %s or %s", c.Items, ItemsAll, ItemsRejects, ItemsNone)
	}
	if c.Buffer < 100 || c.Buffer > 1_000_000 {
		return nil, fmt.Errorf("buffer is %d; give 100 to 1000000", c.Buffer)
	}
	o := paho.NewClientOptions().AddBroker(c.Broker).SetClientID(c.ClientID).SetUsername(c.User)
	if c.PasswordFile != "" {
		word, err := os.ReadFile(c.PasswordFile)
		if err != nil {
			return nil, fmt.Errorf("password_file: %w", err)
		}
		o.SetPassword(strings.TrimRight(string(word), "\r\n"))
	}
	if c.CA != "" || c.Cert != "" {
		t := &tls.Config{MinVersion: tls.VersionTLS12}
		if c.CA != "" {
			pem, err := os.ReadFile(c.CA)
			if err != nil {
				return nil, fmt.Errorf("ca: %w", err)
			}
			t.RootCAs = x509.NewCertPool()
			if !t.RootCAs.AppendCertsFromPEM(pem) {
				return nil, fmt.Errorf("ca: %s holds no certificate in PEM", c.CA)
			}
		}
		if c.Cert != "" {
			pair, err := tls.LoadX509KeyPair(c.Cert, c.Key)
			if err != nil {
				return nil, fmt.Errorf("cert and key: %w", err)
			}
			t.Certificates = []tls.Certificate{pair}
		}
		o.SetTLSConfig(t)
	}
	// A clean session: a command given while nobody listened must not start a line later.
	o.SetCleanSession(true).SetOrderMatters(false).SetAutoReconnect(true).SetMaxReconnectInterval(again)
	o.SetConnectTimeout(ackIn).SetKeepAlive(10 * time.Second).SetPingTimeout(5 * time.Second)
	o.SetWill(c.Topic+"/"+topicOnline, onlineNo, 1, true)
	return o, nil
}

// connect tries until the broker answers; after that, the library does.
func (m *Client) connect() {
	for {
		t := m.paho.Connect()
		t.Wait()
		if t.Error() == nil {
			return
		}
		m.say(fmt.Sprintf("the broker at %s does not answer: %v", m.cfg.Broker, t.Error()))
		select {
		case <-m.ctx.Done():
			return
		case <-time.After(again):
		}
	}
}

func (m *Client) say(trouble string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.trouble = trouble
}

func (m *Client) topic(rest string) string { return m.cfg.Topic + "/" + rest }

// connected subscribes to commands, and says that this service is there, after every connect.
func (m *Client) connected() {
	filters := map[string]byte{m.topic(topicLines + wildcard + leafCommand): 1, m.topic(topicTags + wildcard + leafSet): 1}
	t := m.paho.SubscribeMultiple(filters, func(_ paho.Client, in paho.Message) { m.take(in) })
	if !t.WaitTimeout(ackIn) || t.Error() != nil {
		m.say(fmt.Sprintf("the broker does not let this service listen for commands: %v", t.Error()))
		return
	}
	m.paho.Publish(m.topic(topicOnline), 1, true, onlineYes)
	m.say("")
	m.mu.Lock()
	m.told = make([]links.Value, m.tags.Len()) // a broker that lost what it kept hears it again
	m.mu.Unlock()
	for _, s := range m.lines.States() {
		m.Line(s)
	}
}

// Close says that this service is gone, and ends.
func (m *Client) Close() {
	m.cancel()
	if m.paho.IsConnectionOpen() {
		m.drain()
		m.paho.Publish(m.topic(topicOnline), 1, true, onlineNo).WaitTimeout(time.Second)
	}
	m.paho.Disconnect(100)
	m.wg.Wait()
}

// drain tells what waits still, for a second at most.
func (m *Client) drain() {
	for end := time.Now().Add(time.Second); time.Now().Before(end); {
		msg, ok := m.queue.first()
		if !ok {
			return
		}
		if t := m.paho.Publish(msg.topic, 1, msg.retained, msg.payload); !t.WaitTimeout(time.Second) || t.Error() != nil {
			return
		}
		m.queue.done(msg)
	}
}

// State says how the link stands.
func (m *Client) State() links.State {
	out := links.State{Name: "mqtt", Address: m.cfg.Broker}
	m.mu.Lock()
	out.Trouble = m.trouble
	m.mu.Unlock()
	waiting, dropped := m.queue.len()
	if m.paho.IsConnectionOpen() {
		out.Peers = 1
	} else if waiting > 0 {
		out.Trouble += fmt.Sprintf("; %d messages wait", waiting)
	}
	if dropped > 0 {
		out.Trouble = strings.TrimPrefix(fmt.Sprintf("%s; %d messages were dropped because the buffer was full", out.Trouble, dropped), "; ")
	}
	out.Messages, out.Count = m.log.Last()
	return out
}

func (m *Client) put(rest string, retained bool, v any) {
	m.queue.add(message{m.topic(rest), mustJSON(v), retained})
}

// Item implements links.Listener.
func (m *Client) Item(it *station.Item) {
	if m.cfg.Items == ItemsAll || m.cfg.Items == ItemsRejects && it.Route != recipe.Pass {
		m.put(topicItems+"/"+it.Station+leafItem, false, itemOf(it))
	}
}

// Package implements links.Listener.
func (m *Client) Package(p *line.Package) { m.put(topicLines+p.Line+leafPackage, false, packOf(p)) }

// Line implements links.Listener. States are told at a pace that can be followed.
func (m *Client) Line(s line.State) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.states[s.Config.ID] = s
}

// Alarm implements links.Listener.
func (m *Client) Alarm(a alarm.Alarm) { m.put(topicAlarm, false, alarmOf(a)) }

// pace tells states and tags that have changed.
func (m *Client) pace() {
	t := time.NewTicker(statePace)
	defer t.Stop()
	for {
		select {
		case <-m.ctx.Done():
			return
		case <-t.C:
		}
		m.mu.Lock()
		states := m.states
		m.states = map[string]line.State{}
		told := m.told
		m.mu.Unlock()
		for id, s := range states {
			m.put(topicLines+id+leafState, true, stateOf(s))
		}
		for i := range told {
			v := m.tags.At(i)
			if was := told[i]; was.Name != "" && was.Valid == v.Valid && was.Number == v.Number && was.Text == v.Text {
				continue
			}
			told[i] = v
			m.put(topicTags+v.Name, true, tagOf(v))
		}
	}
}

// publish tells what waits, one after the other, each until the broker has it.
func (m *Client) publish() {
	for {
		msg, ok := m.queue.first()
		if !ok || !m.paho.IsConnectionOpen() {
			select {
			case <-m.ctx.Done():
				return
			case <-m.queue.wake:
			case <-time.After(100 * time.Millisecond):
			}
			continue
		}
		t := m.paho.Publish(msg.topic, 1, msg.retained, msg.payload)
		select {
		case <-t.Done():
		case <-time.After(ackIn):
			m.say("the broker does not confirm what it is told")
			continue // once more: at least once is what is promised
		case <-m.ctx.Done():
			return
		}
		if t.Error() != nil {
			continue
		}
		m.queue.done(msg)
		m.note(true, msg.topic, msg.payload)
	}
}

func (m *Client) note(out bool, topic string, payload []byte) {
	text := strings.TrimPrefix(topic, m.cfg.Topic+"/") + " " + strings.ToValidUTF8(string(payload), "?")
	m.log.Add(links.Message{Time: m.clock().UTC(), Out: out, Peer: m.cfg.Topic, Text: text})
}

// take does what a message asks for. It runs in a goroutine of its own.
func (m *Client) take(in paho.Message) {
	if in.Retained() {
		return // it was given to whoever was there then
	}
	m.note(false, in.Topic(), in.Payload())
	rest := strings.TrimPrefix(in.Topic(), m.cfg.Topic+"/")
	if name, ok := strings.CutPrefix(rest, topicTags); ok {
		name = strings.TrimSuffix(name, leafSet)
		v, err := strconv.ParseFloat(strings.TrimSpace(string(in.Payload())), 64)
		if err != nil {
			err = fmt.Errorf("%q is not a number", in.Payload())
		} else {
			err = m.tags.Write(m.ctx, name, v, "MQTT "+m.cfg.Broker)
		}
		m.put(topicTags+name+leafAnswer, false, answerOf("", line.Run{}, err))
		return
	}
	id := strings.TrimSuffix(strings.TrimPrefix(rest, topicLines), leafCommand)
	var c command
	var r line.Run
	err := json.Unmarshal(in.Payload(), &c)
	if err != nil {
		err = fmt.Errorf("that is no command in JSON: %w", err)
	} else {
		r, err = m.do(id, c)
	}
	m.put(topicLines+id+leafAnswer, false, answerOf(c.ID, r, err))
}

func answerOf(id string, r line.Run, err error) answer {
	a := answer{ID: id, OK: err == nil, Run: r.ID}
	if err != nil {
		a.Run, a.Why = 0, err.Error()
	}
	return a
}

func (m *Client) do(id string, c command) (line.Run, error) {
	switch c.Do {
	case "change":
		return m.lines.Change(id, line.Run{Product: c.Product, Order: c.Order, Who: c.Who, By: "MQTT"})
	case "start":
		return line.Run{}, m.lines.Start(id, c.Cleared)
	case "stop":
		return line.Run{}, m.lines.Stop(id)
	case "trigger":
		return line.Run{}, m.lines.Trigger(id)
	}
	return line.Run{}, errors.New(`there is no such command; "do" is change, start, stop or trigger`)
}
