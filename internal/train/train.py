#!/usr/bin/env python3
"""Trains the line reader of core/reader (README.md beside this file says how).

Lines come as files of strips from the Go program beside this one; new ones are taken in while
it trains. The last part of the time goes into training with weights and values rounded as the
reader rounds them. Needs PyTorch 1.13 or later; nothing else in the project does.
"""
import argparse, glob, math, os, random, struct, time
import numpy as np
import torch
import torch.nn as nn
import torch.nn.functional as F

CHARACTERS = " 0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz.,:/-+=*#%&()'!?@€$£°"
CLASSES = len(CHARACTERS) + 1
# in, out, kernel height, kernel width, stride down, stride along, padding down, padding along
CONVS = [(1, 24, 3, 3, 2, 1, 1, 1), (24, 40, 3, 3, 1, 2, 1, 1), (40, 64, 3, 3, 2, 1, 1, 1),
         (64, 96, 3, 3, 2, 1, 1, 1), (96, 160, 4, 3, 1, 1, 0, 1)]
WIDE, BLOCKS, REACH = 160, 5, 9


def layers():
    """Every layer with weights, in order: its kind and its convolution."""
    for i, o, kh, kw, sh, sw, ph, pw in CONVS:
        yield "conv", nn.Conv2d(i, o, (kh, kw), (sh, sw), (ph, pw), bias=False)
    for _ in range(BLOCKS):
        yield "along", nn.Conv2d(WIDE, WIDE, (1, REACH), 1, (0, REACH // 2), groups=WIDE, bias=False)
        yield "mix", nn.Conv2d(WIDE, WIDE, 1, bias=False)
    yield "out", nn.Conv2d(WIDE, CLASSES, 1)


class Net(nn.Module):
    def __init__(self):
        super().__init__()
        self.kinds, convs = zip(*layers())
        self.convs = nn.ModuleList(convs)
        self.norms = nn.ModuleList([nn.BatchNorm2d(c.out_channels) if k != "out" else nn.Identity() for k, c in zip(self.kinds, convs)])

    def forward(self, x):
        for k, c, n in zip(self.kinds, self.convs, self.norms):
            if k == "along":
                was = x
            x = n(c(x))
            if k == "mix":
                x = x + was
            if k != "out":
                x = F.relu(x)
        return x.squeeze(2).permute(2, 0, 1)  # steps, batch, classes

    def folded(self):
        """Weights and biases with the normalization in them."""
        out = []
        for k, c, n in zip(self.kinds, self.convs, self.norms):
            w = c.weight.detach().clone()
            if k == "out":
                out.append((w, c.bias.detach().clone()))
                continue
            g = n.weight.detach() / torch.sqrt(n.running_var + n.eps)
            out.append((w * g[:, None, None, None], n.bias.detach() - n.running_mean * g))
        return out


def rounded(x):
    return x + (torch.round(x) - x).detach()


class Whole(nn.Module):
    """The network as the reader computes it: weights of -127 to 127 by output channel, values of 0 to 127."""

    def __init__(self, net, file=None):
        super().__init__()
        self.kinds = net.kinds
        self.shape = [(c.stride, c.padding, c.groups) for c in net.convs]
        f = net.folded()
        self.was = [1.0] * len(f)  # what a value that is added again counts
        top = torch.zeros(len(f))
        if file:
            f, self.was = read(file)
            top += 1
        self.weights = nn.ParameterList([nn.Parameter(w) for w, _ in f])
        self.biases = nn.ParameterList([nn.Parameter(b) for _, b in f])
        self.register_buffer("top", top)  # what 127 stands for, after each layer
        self.measure = False

    def quantized(self, i):
        w = self.weights[i]
        s = w.detach().abs().amax(dim=(1, 2, 3), keepdim=True).clamp(min=1e-8) / 127
        return rounded((w / s).clamp(-127, 127)) * s, s

    def forward(self, x):
        for i, k in enumerate(self.kinds):
            w = self.weights[i] if self.measure else self.quantized(i)[0]
            if k == "along":
                was = x
            x = F.conv2d(x, w, self.biases[i], self.shape[i][0], self.shape[i][1], 1, self.shape[i][2])
            if k == "mix":
                x = x + was * self.was[i]
            if k == "out":
                break
            x = F.relu(x)
            if self.measure:
                flat = x.detach().flatten()
                flat = flat[torch.randint(0, flat.numel(), (200000,))]
                self.top[i] = max(float(self.top[i]), float(torch.quantile(flat, 0.9998)))
            else:
                s = self.top[i] / 127
                x = rounded((x / s).clamp(0, 127)) * s
        return x.squeeze(2).permute(2, 0, 1)


def read(file):
    """Weights and biases that export has written, with values of 0 to 1 after each layer, and
    what a value that is added again counts."""
    data = open(file, "rb").read()
    at, out, was = 17 + 8, [], []
    before = 1 / 127.0
    for k, _ in layers():
        o, c, h, wd, again = struct.unpack_from("<HHHHf", data, at)
        at += 12
        w = np.frombuffer(data, np.int8, o * c * h * wd, at).reshape(o, c, h, wd).astype(np.float32)
        at += w.size
        bias = np.frombuffer(data, np.int32, o, at).astype(np.float32)
        gain = np.frombuffer(data, np.float32, o, at + 4 * o)
        at += 8 * o
        after = 1.0 if k == "out" else 1 / 127.0
        s = gain * after / before
        out.append((torch.tensor(w * s[:, None, None, None]), torch.tensor(bias * s * before)))
        was.append(float(again))
        before = after
    return out, was


def go_on(o, lines, test, rng):
    """Trains weights made before on, rounded from the first step."""
    whole = Whole(Net(), o.begin)
    mean = Whole(Net(), o.begin)
    print("before: %.3f lines right, %.4f characters wrong" % check(whole, test, rng), flush=True)
    ctc = nn.CTCLoss(zero_infinity=True)
    opt = torch.optim.AdamW(whole.parameters(), lr=o.peak, weight_decay=0, betas=(0.9, 0.98))
    begin, step, told, part = time.time(), 0, 0, 0.0
    while part < 1:
        for x, labels, lengths, steps in lines.refresh().batches(o.size, rng, o.size * 32):
            part = (time.time() - begin) / (o.minutes * 60)
            for g in opt.param_groups:
                g["lr"] = o.peak * min(part / 0.03, 1) * (0.5 + 0.5 * math.cos(math.pi * min(part, 1))) + 1e-6
            loss = ctc(F.log_softmax(whole(x), 2), labels, steps, lengths)
            opt.zero_grad(set_to_none=True)
            loss.backward()
            nn.utils.clip_grad_norm_(whole.parameters(), 2.0)
            opt.step()
            step += 1
            with torch.no_grad():
                for m, p in zip(mean.parameters(), whole.parameters()):
                    m.mul_(0.998).add_(p, alpha=0.002)
            if step % 100 == 0:
                print(f"{(time.time() - begin) / 60:6.1f} min step {step} of {len(lines.lines)} lines loss {loss.item():.3f}", flush=True)
        if (time.time() - begin) / 60 - told > 5 or part >= 1:
            told = (time.time() - begin) / 60
            print("check: %.3f lines right, %.4f characters wrong" % check(mean, test, rng), flush=True)
            export(mean, o.out)


class Pool:
    def __init__(self, pattern):
        self.pattern, self.seen, self.lines = pattern, set(), []

    def refresh(self):
        for f in sorted(glob.glob(self.pattern)):
            if f in self.seen:
                continue
            self.seen.add(f)
            data = open(f, "rb").read()
            at = 0
            while at < len(data):
                w, n = struct.unpack_from("<HH", data, at)
                at += 4
                label = np.frombuffer(data, np.uint8, n, at)
                at += n
                self.lines.append((np.frombuffer(data, np.uint8, 32 * w, at).reshape(32, w), label))
                at += 32 * w
        return self

    def batches(self, size, rng, count=None, newest=0):
        """Batches of lines of like width, by chance; those that came last more often."""
        n = len(self.lines)
        pick = range(n) if count is None else [rng.randrange(max(0, n - newest) if newest and rng.random() < 0.5 else 0, n) for _ in range(count)]
        order = sorted(pick, key=lambda i: self.lines[i][0].shape[1])
        parts = [order[i:i + size] for i in range(0, len(order), size)]
        if count is not None:
            parts = [p for p in parts if len(p) == size]
        rng.shuffle(parts)
        for part in parts:
            yield batch([self.lines[i] for i in part])


def batch(lines):
    w = max(s.shape[1] for s, _ in lines)
    w = (w + 31) // 32 * 32  # few shapes: making ready for a new one takes long
    x = np.full((len(lines), 1, 32, w), 18, np.uint8)
    for i, (s, _) in enumerate(lines):
        x[i, 0, :, :s.shape[1]] = s
    labels = torch.tensor(np.concatenate([l for _, l in lines]).astype(np.int64))
    return (torch.tensor(x).float() / 127, labels, torch.tensor([len(l) for _, l in lines]),
            torch.tensor([(s.shape[1] + 1) // 2 for s, _ in lines]))


def decode(scores, steps):
    best = scores.argmax(2).numpy()
    out = []
    for b in range(best.shape[1]):
        last, text = 0, []
        for v in best[:steps[b], b]:
            if v != last and v != 0:
                text.append(int(v))
            last = v
        out.append(text)
    return out


def distance(a, b):
    row = list(range(len(b) + 1))
    for i, x in enumerate(a, 1):
        last, row[0] = row[0], i
        for j, y in enumerate(b, 1):
            last, row[j] = row[j], min(row[j] + 1, row[j - 1] + 1, last + (x != y))
    return row[-1]


def check(net, pool, rng):
    net.eval()
    right = lines = wrong = chars = 0
    with torch.no_grad():
        for x, labels, lengths, steps in pool.batches(64, rng):
            at = 0
            for text, n in zip(decode(net(x), steps), lengths.tolist()):
                truth = labels[at:at + n].tolist()
                at += n
                lines += 1
                right += text == truth
                wrong += distance(text, truth)
                chars += n
    net.train()
    return right / lines, wrong / chars


def export(net, file):
    """Weights as core/reader/weights.go reads them."""
    with open(file, "wb") as f:
        f.write(b"RICETTA READER 1\n")
        f.write(struct.pack("<HHHH", len(CONVS), BLOCKS, WIDE, CLASSES))
        before = 1 / 127.0
        stream = before
        for i, k in enumerate(net.kinds):
            w, s = net.quantized(i)
            whole = torch.round(w / s).detach().to(torch.int8).numpy()
            s = s.flatten().detach().numpy()
            bias = np.round(net.biases[i].detach().numpy() / (s * before)).astype(np.int32)
            after = 1.0 if k == "out" else float(net.top[i]) / 127
            gain = (s * before / after).astype(np.float32)
            was = np.float32(net.was[i] * stream / after) if k == "mix" else np.float32(0)
            o, c, h, wd = whole.shape
            f.write(struct.pack("<HHHHf", o, c, h, wd, float(was)))
            f.write(np.ascontiguousarray(whole).tobytes() + bias.tobytes() + gain.tobytes())
            if k in ("conv", "mix"):
                stream = after
            before = after


def main():
    a = argparse.ArgumentParser()
    a.add_argument("--lines", required=True, help="pattern of files of lines")
    a.add_argument("--easy", default="", help="and of easy ones, to begin with")
    a.add_argument("--check", required=True, help="and of those to check with")
    a.add_argument("--minutes", type=float, default=100)
    a.add_argument("--out", default="weights.bin")
    a.add_argument("--state", default="state.pt")
    a.add_argument("--resume", action="store_true", help="go on from the state, with the rounded part alone")
    a.add_argument("--begin", help="weights made before, to train on")
    a.add_argument("--size", type=int, default=32)
    a.add_argument("--threads", type=int, default=2)
    a.add_argument("--peak", type=float, default=2.5e-3)
    o = a.parse_args()
    torch.set_num_threads(o.threads)
    torch.manual_seed(1)
    rng = random.Random(1)
    easy, lines, test = Pool(o.easy).refresh(), Pool(o.lines).refresh(), Pool(o.check).refresh()
    if o.begin:
        return go_on(o, lines, test, rng)
    net = Net()
    mean = Net()  # running mean of the weights
    mean.load_state_dict(net.state_dict())
    ctc = nn.CTCLoss(zero_infinity=True)
    opt = torch.optim.AdamW(net.parameters(), lr=o.peak, weight_decay=1e-3, betas=(0.9, 0.98))
    begin, seen, step, told = time.time(), 0, 0, 0
    if o.resume:
        mean.load_state_dict(torch.load(o.state))
    part = 0.0
    while not o.resume and part < 1:
        pool = easy if part < 0.05 or (part < 0.12 and step % 64 < 32) else lines.refresh()
        for x, labels, lengths, steps in pool.batches(o.size, rng, o.size * 32, newest=0 if pool is easy else 12000):
            part = (time.time() - begin) / (o.minutes * 60)
            lr = o.peak * min(part / 0.02, 1) * (0.5 + 0.5 * math.cos(math.pi * min(part, 1))) + 2e-5
            for g in opt.param_groups:
                g["lr"] = lr
            loss = ctc(F.log_softmax(net(x), 2), labels, steps, lengths)
            opt.zero_grad(set_to_none=True)
            loss.backward()
            nn.utils.clip_grad_norm_(net.parameters(), 2.0)
            opt.step()
            step += 1
            seen += len(lengths)
            keep = min(0.998, step / (step + 20))
            with torch.no_grad():
                for m, p in zip(mean.state_dict().values(), net.state_dict().values()):
                    if m.dtype.is_floating_point:
                        m.mul_(keep).add_(p, alpha=1 - keep)
                    else:
                        m.copy_(p)
            if step % 100 == 0:
                print(f"{(time.time() - begin) / 60:6.1f} min step {step} seen {seen} of {len(lines.lines)} lr {lr:.5f} loss {loss.item():.3f}", flush=True)
        if (time.time() - begin) / 60 - told > 5:
            told = (time.time() - begin) / 60
            print("check: %.3f lines right, %.4f characters wrong" % check(mean, test, rng), flush=True)
            torch.save(mean.state_dict(), o.state)
    torch.save(mean.state_dict(), o.state)
    print("check: %.3f lines right, %.4f characters wrong" % check(mean, test, rng), flush=True)

    mean.eval()
    whole = Whole(mean)
    whole.measure = True
    with torch.no_grad():
        for i, (x, _, _, _) in enumerate(lines.batches(64, rng, 64 * 24)):
            whole(x)
    whole.measure = False
    print("rounded: %.3f lines right, %.4f characters wrong" % check(whole, test, rng), flush=True)
    export(whole, o.out)
    opt = torch.optim.AdamW(whole.parameters(), lr=1e-4, weight_decay=0)
    begin, limit = time.time(), o.minutes * 60 * 0.12
    best = check(whole, test, rng)
    while time.time() - begin < limit:
        for x, labels, lengths, steps in lines.refresh().batches(o.size, rng, o.size * 64, newest=12000):
            for g in opt.param_groups:
                g["lr"] = 1e-4 * max(0.05, 1 - (time.time() - begin) / limit)
            loss = ctc(F.log_softmax(whole(x), 2), labels, steps, lengths)
            opt.zero_grad(set_to_none=True)
            loss.backward()
            nn.utils.clip_grad_norm_(whole.parameters(), 2.0)
            opt.step()
        now = check(whole, test, rng)
        print("trained rounded: %.3f lines right, %.4f characters wrong" % now, flush=True)
        if now[1] < best[1]:
            best = now
            export(whole, o.out)
    print("done: %.3f lines right, %.4f characters wrong" % best, flush=True)


if __name__ == "__main__":
    main()
