#!/usr/bin/env python3
"""Derived routes held against an own simulator. Usage: routes.py PROGRAM SEED COUNT [--remove N] [--shuffle] [--add] [--rename] [--dead]
Tables come from 'export json'; the simulator knows longest match, distance, discard, watches, cables (seen or hidden), devices, and
gateways that two routers share, and LANs over several switches. --rename renames three routers; --dead looks at every device that fails, whatever is protected:
nothing may circle then either. KIND=shops (or another) makes networks of that kind only."""
import ipaddress as ip, json, os, random, re, subprocess, sys, collections, time, tempfile
import tempfile; KEEP = os.environ.get('KEEP') or tempfile.mkdtemp()
def run(b, *a, cwd=None, t=120):
    p = subprocess.run(['nice', b, *a], capture_output=True, text=True, cwd=cwd, timeout=t); return p.returncode, p.stdout, p.stderr

def topo(r, kind):
    E = []
    if kind == 'shops': n = r.randint(8, 42); E = [(0, 1)] + [(h, i) for i in range(2, n) for h in (0, 1)]
    if kind == 'star': n = r.randint(6, 12); E = [(0, i) for i in range(1, n)]
    elif kind == 'dual': n = r.randint(6, 14); E = [(0, 1)] + [(h, i) for i in range(2, n) for h in (0, 1)]
    elif kind == 'ring': n = r.randint(6, 12); E = [(i, (i + 1) % n) for i in range(n)]
    elif kind == 'rings':
        c = r.randint(3, 5); n = c; E = [(i, (i + 1) % c) for i in range(c)]
        for i in range(c):
            m = r.randint(2, 4); prev = i
            for k in range(m): E.append((prev, n)); prev = n; n += 1
            E.append((prev, (i + r.choice([0, 1])) % c))
    elif kind == 'grid':
        w, h = r.randint(2, 4), r.randint(3, 4); n = w * h
        E = [(y * w + x, y * w + x + 1) for y in range(h) for x in range(w - 1)] + [(y * w + x, y * w + x + w) for y in range(h - 1) for x in range(w)]
    else:
        n = r.randint(6, 26); E = [(i, (i + 1) % n) for i in range(n)]
        E = [tuple(sorted(e)) for e in E]
        for _ in range(r.randint(1, n)):
            a, b = sorted(r.sample(range(n), 2))
            if (a, b) not in E: E.append((a, b))
        p = list(range(n)); r.shuffle(p); E = [(p[a], p[b]) for a, b in E]
    E = list(dict.fromkeys(tuple(sorted(e)) for e in E if e[0] != e[1])); return n, E

def make(seed):
    r = random.Random(seed); kind = os.environ.get('KIND') or ['star', 'dual', 'ring', 'rings', 'grid', 'mesh', 'mesh', 'mesh', 'shops'][seed % 9]
    n, E = topo(r, kind); sites = r.random() < .5; M = dict(kind=kind, n=n, sites=sites)
    names = r.sample([f'{a}i{b}{c}' for a in 'gh' for b in 'bdfg' for c in 'aeiou'] + [f'{a}{b}' for a in 'kfzbmqv' for b in 'aeiuxy'] + [f'{a}o{c}' for a in 'kfzbmqv' for c in 'lnr'], n)
    protect = r.choice(['links', 'links', 'links', 'devices', 'own']); carriers = r.choice([0, 0, 1, 2])
    M.update(protect=protect, carriers=carriers)
    S, D, C, B = [], [], [], ['  home: [10.0.0.0/8, "2001:db8::/32"]']
    ifs = [[] for _ in range(n)]
    for k, (a, b) in enumerate(E):
        S.append(f'  w{k}: {{point-to-point: true, from: home}}')
        for x in (a, b): ifs[x].append((f'b{len(ifs[x])}', f'segment: w{k}'))
        cost = f', cost: {r.choice([5, 10, 20, 40])}' if r.random() < .25 else ''
        fault = ', fault: hidden' if r.random() < .12 else ''
        C.append(f'c{k}: {{between: "{names[a]}:{ifs[a][-1][0]} to {names[b]}:{ifs[b][-1][0]}"{cost}{fault}}}')
    M['T'] = []
    for t in range(r.randint(1, 3)):
        if n < 4: break
        g = r.sample(range(n), 3); S.append(f'  t{t}: {{length: [29, 64], from: home}}'); M['T'].append(f't{t}')
        for x in g: ifs[x].append((f't{len(ifs[x])}', f'segment: t{t}'))
    if kind == 'shops': S.append('  hall: {hosts: 40, from: home}'); [ifs[h].append((f'l9', f'segment: hall, address: {h + 2}, virtual: 1')) for h in (0, 1)]; M['T'].append('hall')
    pool = r.sample(range(256), n * 3 + 5)
    for i in range(n):
        if sites: B.append(f'  site-{names[i]}: {{from: home}}')
        for j in range(r.randint(1, 3)):
            s = f's{names[i]}{j}'
            if sites: S.append(f'  {s}: {{hosts: {r.choice([5, 12, 25, 50, 100])}, from: site-{names[i]}}}')
            else:
                k = pool.pop(); S.append(f'  {s}: {{prefix: [10.{k}.{r.randrange(256)}.0/{r.choice([24, 25, 27])}, "2001:db8:{k:x}:{r.randrange(65536):x}::/64"]}}')
            ifs[i].append((f'l{j}', f'segment: {s}, address: first'))
    W = []
    for c in range(carriers):
        at = r.randrange(n); S.append(f'  up{c}: {{prefix: [198.51.100.{c * 4}/30, "2001:db8:f00{c}::/64"]}}' )
        ifs[at].append((f'u{c}', f'segment: up{c}, address: 1')); C.append(f'x{c}: {names[at]}:u{c} to isp{c}:p')
        W.append(f'  isp{c}:\n    is: world\n    beyond: [192.0.2.0/24, "2001:db8:ffff::/48"]\n    interfaces:\n      p: {{segment: up{c}, address: 2}}\n    routes:\n      home: {names[at]}')
    for i in r.sample(range(n), n):
        D.append(f'  {names[i]}:\n    is: router\n    loopback: true\n    from: {"site-" + names[i] if sites else "home"}\n    interfaces:\n' + '\n'.join(f'      {a}: {{{b}}}' for a, b in ifs[i]))
    D += W; r.shuffle(S)
    M['parts'] = (protect, B, S, D, C); M['names'] = names; M['L'] = []
    r = random.Random(seed * 31 + 5)
    if r.random() < .4: switched(M, r, n)
    return M
def switched(M, r, n):
    """LANs of some routers over two to four switches in a tree, with hosts on most of them."""
    S, D = M['parts'][2], M['parts'][3]
    for v, i in enumerate(r.sample(range(n), min(n, r.randint(1, 3)))):
        nm = M['names'][i]; seg = f's{nm}0'; k = r.randint(2, 4)
        at = next(j for j, y in enumerate(S) if y.startswith(f'  {seg}:')); S[at] = S[at].rstrip()[:-1] + f', vlan: {100 + v}' + '}'
        sw = [f'w{nm}{j}' for j in range(k)]; C = [(f'y{nm}0', f'{nm}:l0', f'{sw[0]}:p1')]; hosts = []; used = {q: 1 for q in sw}
        def port(q): used[q] += 1; return f'{q}:p{used[q]}'
        trunks = {q: [] for q in sw}
        for j in range(1, k):
            up = sw[r.randrange(j)]; a, b = port(up), port(sw[j]); C.append((f'y{nm}{j}', a, b)); trunks[up].append(a.split(':')[1]); trunks[sw[j]].append(b.split(':')[1])
        for j, q in enumerate(sw):
            for x in range(r.choice([0, 1, 1, 2]) if k + j < 60 else 0):
                h = f'x{nm}{j}{x}'; hosts.append((h, q)); C.append((f'z{nm}{j}{x}', f'{h}:p', port(q)))
        for q in sw: D.append(f'  {q}:\n    is: switch\n    interfaces: {{p1..p12: {{access: {seg}}}}}')
        for h, q in hosts: D.append(f'  {h}:\n    is: host\n    interfaces: {{p: {{segment: {seg}}}}}')
        M['parts'][4].extend(f'{c}: {a} to {b}' for c, a, b in C)
        M['L'].append(dict(seg=seg, router=nm, iface='l0', sw=sw, cables=[(c, a.split(':')[0], b.split(':')[0]) for c, a, b in C], hosts=hosts))
def text(M, order=None, extra=()):
    protect, B, S, D, C = M['parts']; S, D, C = list(S), list(D), list(C)
    if order is not None: r = random.Random(order); r.shuffle(S); r.shuffle(D); r.shuffle(C)
    return '\n'.join(['ropeswing: 1', 'plan: b', f'wants: {{protect: {protect}}}', 'blocks:'] + B + ['segments:'] + S + list(extra) + ['devices:'] + D + ['cables:'] + [f'  - {c}' for c in C]) + '\n'

class Sim:
    def __init__(self, exp, M, fam):
        self.hosts = {d['device']: int(ip.ip_address(a['address'])) for d in exp if d['is'] == 'host' for i in d['interfaces'] for a in i['addresses'] if a['family'] == f'ipv{fam}' and not a['link_local']}
        exp = [d for d in exp if d['is'] not in ('host', 'switch')]; self.lans = {L['seg']: L for L in M['L']}; self.l2 = {c for L in M['L'] for c, a, b in L['cables']}; self.gone = set()
        self.fam = fam; V = f'ipv{fam}'; self.dev = [d['device'] for d in exp]; self.ix = {d: k for k, d in enumerate(self.dev)}
        bits = 32 if fam == 4 else 128; self.full = (1 << bits) - 1
        self.ifs, self.addr, self.routes = [], {}, []
        self.beyond = {}
        for k, d in enumerate(exp):
            I = {}
            for i in d['interfaces']:
                I[i['interface']] = dict(seg=i['segment'], addrs=[(int(ip.ip_address(a['address'])), a['prefix_length']) for a in i['addresses'] if a['family'] == V and not a['link_local'] and not a['shared']])
            self.ifs.append(I)
            for n, i in I.items():
                for a, l in i['addrs']: self.addr[a] = (k, n)
            R = []
            for x in d['routes']:
                if x['family'] != V or x['table']: continue
                R.append(dict(p=int(ip.ip_address(x['to'])), l=x['prefix_length'], d=x['distance'], nh=int(ip.ip_address(x['next_hop'])) if x['next_hop'] else None, disc=x['discard'], w=int(ip.ip_address(x['watch'])) if x['watch'] else None, wf=x['watch_from'], derived=x['derived'], out=x['out']))
            self.routes.append(R)
            if d['beyond']: self.beyond[k] = [ip.ip_network(b) for b in d['beyond'] if ip.ip_network(b).version == fam]
        self.bits = bits
        self.cables = {}; self.far = {}
        for c in M['parts'][4]:
            nm, rest = c.split(': ', 1)
            if nm in self.l2: continue
            a, b = re.search(r'(\w+:\w+) to (\w+:\w+)', rest).groups()
            self.cables[nm] = (tuple(a.split(':')), tuple(b.split(':')), 'hidden' in rest)
            A, B = (self.ix[a.split(':')[0]], a.split(':')[1]), (self.ix[b.split(':')[0]], b.split(':')[1]); self.far[A] = B; self.far[B] = A
        self.seg = collections.defaultdict(list)
        for k, I in enumerate(self.ifs):
            for n, i in I.items():
                if (k, n) not in self.far and i['seg'] and n != 'loopback': self.seg[i['seg']].append((k, n))
        self.nhres = {}
        for k, R in enumerate(self.routes):
            for x in R:
                if x['nh'] is None: continue
                c = [(l, n) for n, i in self.ifs[k].items() for a, l in i['addrs'] if a >> (bits - l) == x['nh'] >> (bits - l) and l < bits or (a, l) == (x['nh'], bits)]
                assert c, ('next hop not on link', self.dev[k], x)
                x['o'] = max(c)[1]
    def joined(self, seg, a, b):
        """whether two of a LAN over switches, by name, are on one wire"""
        L = self.lans[seg]; g = collections.defaultdict(list)
        if a in self.gone or b in self.gone: return False
        for c, x, y in L['cables']:
            if c not in self.gone and x not in self.gone and y not in self.gone: g[x].append(y); g[y].append(x)
        seen, todo = {a}, [a]
        while todo:
            for y in g[todo.pop()]:
                if y not in seen: seen.add(y); todo.append(y)
        return b in seen
    def state(self, dead_cable=None, dead_dev=None, dead_seg=None, skip=None):
        """down: interfaces without link; mute: interfaces up whose far end is gone"""
        down, mute = set(), set()
        self.gone = {x for x in (dead_cable, dead_dev) if isinstance(x, str)} | ({self.dev[dead_dev]} if isinstance(dead_dev, int) else set())
        for L in self.lans.values():
            if not self.joined(L['seg'], L['router'], L['sw'][0]): down.add((self.ix[L['router']], L['iface']))
            if dead_seg == L['seg']: self.gone |= {c for c, a, b in L['cables']}
        if isinstance(dead_dev, str): dead_dev = None
        if dead_cable and dead_cable not in self.l2:
            a, b, hid = self.cables[dead_cable]
            for x in (a, b): (mute if hid else down).add((self.ix[x[0]], x[1]))
        if dead_dev is not None:
            for n in self.ifs[dead_dev]:
                f = self.far.get((dead_dev, n)); down.add((dead_dev, n))
                if f:
                    hid = any(h and (self.dev[dead_dev], n) in (a, b) for a, b, h in self.cables.values()); (mute if hid else down).add(f)
        if dead_seg:
            for k, I in enumerate(self.ifs):
                for n, i in I.items():
                    if i['seg'] == dead_seg: down.add((k, n))
        self.down, self.mute, self.dead, self.skip = down, mute, dead_dev, skip
        mons = {(k, id(x)): True for k, R in enumerate(self.routes) for x in R if x['w'] is not None}
        self.mon = mons
        for it in range(40):
            self.build(); new = {}
            for k, R in enumerate(self.routes):
                for x in R:
                    if x['w'] is not None: new[k, id(x)] = self.probe(k, x)
            if new == self.mon: break
            self.mon = new
        else: print('   watches do not settle', dead_cable, dead_dev)
    def build(self):
        self.tab = []
        B = self.bits
        for k, R in enumerate(self.routes):
            best = {}
            for n, i in self.ifs[k].items():
                if (k, n) in self.down: continue
                for a, l in i['addrs']: best[a >> (B - l) if l else 0, l] = (0, ('direct', n))
            for x in R:
                if x is self.skip: continue
                if x['nh'] is not None:
                    if (k, x['o']) in self.down: continue
                    if x['w'] is not None and not self.mon[k, id(x)]: continue
                key = (x['p'] >> (B - x['l']) if x['l'] else 0, x['l'])
                if key not in best or x['d'] < best[key][0]: best[key] = (x['d'], ('discard', None) if x['disc'] else ('via', x['nh'], x['o']))
            by = collections.defaultdict(dict)
            for (p, l), v in best.items(): by[l][p] = v[1]
            self.tab.append(sorted(by.items(), reverse=True))
    def step(self, k, dst):
        """-> ('deliver',) | ('drop', why) | next device"""
        h = self.addr.get(dst)
        if h and h[0] == k: return ('deliver',) if h not in self.down else ('drop', 'down')
        if k in self.beyond and any(ip.ip_address(dst) in n for n in self.beyond[k]): return ('deliver',)
        for l, t in self.tab[k]:
            v = t.get(dst >> (self.bits - l) if l else 0)
            if v is None: continue
            if v[0] == 'discard': return ('drop', 'discard')
            o = v[1] if v[0] == 'direct' else v[2]; nh = dst if v[0] == 'direct' else v[1]
            if (k, o) in self.mute: return ('drop', 'mute')
            f = self.far.get((k, o)); L = self.lans.get(self.ifs[k][o]['seg'])
            if L:
                return ('deliver',) if any(self.hosts[h] == nh and self.joined(L['seg'], L['router'], h) for h, q in L['hosts']) else ('drop', 'nobody')
            if f is None:
                c = [q for q in self.seg.get(self.ifs[k][o]['seg'], []) if q != (k, o) and q not in self.down and q[0] != self.dead and any(a == nh for a, l_ in self.ifs[q[0]][q[1]]['addrs'])]
                if not c: return ('drop', 'nobody')
                return c[0][0]
            if f[0] == self.dead or f in self.down: return ('drop', 'dead')
            if (nh, ) and not any(a == nh for a, l in self.ifs[f[0]][f[1]]['addrs']): return ('drop', 'silent')
            return f[0]
        return ('drop', 'noroute')
    def walk(self, k, dst):
        seen = set(); 
        while True:
            if k in seen: return 'loop'
            seen.add(k); s = self.step(k, dst)
            if isinstance(s, tuple): return s[0] if s[0] == 'deliver' else s[1]
            k = s
    def of(self, e, dst, known):
        """how a packet of an end fares: of a device, or of a host of a LAN over switches"""
        if e[4] is None: return known[e[0], dst]
        L = self.lans[e[3]]
        if dst == e[1]: return 'deliver'
        for h, q in L['hosts']:
            if self.hosts[h] == dst: return 'deliver' if self.joined(e[3], e[4], h) else 'nobody'
        if not self.joined(e[3], e[4], L['router']): return 'nobody'
        return known.get((e[0], dst), 'dead')
    def probe(self, k, x):
        if (k, x['o']) in self.down or (k, x['o']) in self.mute: return False
        f = self.far.get((k, x['o']))
        if f is None:
            c = [q for q in self.seg.get(self.ifs[k][x['o']]['seg'], []) if q != (k, x['o']) and q not in self.down and q[0] != self.dead and any(a == x['nh'] for a, l_ in self.ifs[q[0]][q[1]]['addrs'])]
            f = c[0] if c else None
        if f is None or f[0] == self.dead or f in self.down: return False
        if not any(a == x['nh'] for a, l in self.ifs[f[0]][f[1]]['addrs']): return False
        t = x['w']; src = None
        if x['wf']:
            try: src = int(ip.ip_address(x['wf']))
            except ValueError: src = self.ifs[k][x['wf']]['addrs'][0][0]
        else:
            src = next(a for a, l in self.ifs[k][x['o']]['addrs'] if a >> (self.bits - l) == x['nh'] >> (self.bits - l))
        if self.walk(f[0], t) != 'deliver': return False
        h = self.addr.get(t)
        return self.walk(h[0], src) == 'deliver'
    def comp(self):
        g = list(range(len(self.dev)))
        def find(x):
            while g[x] != x: x = g[x]
            return x
        for a, b in self.far.items():
            if a in self.down or a in self.mute or b in self.down or b in self.mute or self.dead in (a[0], b[0]): continue
            if a[0] in self.beyond or b[0] in self.beyond: continue
            g[find(a[0])] = find(b[0])
        for sg, m in self.seg.items():
            m = [q for q in m if q not in self.down and q[0] != self.dead]
            for q in m[1:]: g[find(q[0])] = find(m[0][0])
        return [find(x) for x in range(len(self.dev))]
    def ends(self):
        E = []
        for k, I in enumerate(self.ifs):
            if k in self.beyond: continue
            for n, i in I.items():
                L = self.lans.get(i['seg'])
                if L: # one of each switch that somebody is on, a host before the router
                    on = {}
                    for h, q in L['hosts']: on.setdefault(q, h)
                    on.setdefault(L['sw'][0], None)
                    for h in on.values(): E.append((k, self.hosts[h] if h else i['addrs'][0][0], n, i['seg'], h))
                elif n == 'loopback' or n.startswith('l') and not any(e[3] == i['seg'] for e in E): E.append((k, i['addrs'][0][0], n, i['seg'], None))
        return E
    def lost(self, E):
        """ordered pairs that fail: (cannot, does_not, loops)"""
        comp = self.comp(); ok = {}
        for k, a, n, s, h in E:
            for j in range(len(self.dev)):
                if j != self.dead: ok[j, a] = self.walk(j, a)
        cannot = doesnot = loops = 0; eg = []
        for x in E:
            for y in E:
                if x is y: continue
                if x[3] == y[3] and x[3] in self.lans: # within a LAN wires decide
                    if not self.joined(x[3], x[4] or self.dev[x[0]], y[4] or self.dev[y[0]]): cannot += 1
                    continue
                away = any(z[4] and not self.joined(z[3], z[4], self.dev[z[0]]) for z in (x, y))
                gone = x[0] == self.dead or y[0] == self.dead
                downs = (x[0], x[2]) in self.down or (y[0], y[2]) in self.down
                if away or gone or downs or comp[x[0]] != comp[y[0]]: cannot += 1; continue
                f, b = self.of(x, y[1], ok), self.of(y, x[1], ok)
                if f != 'deliver' or b != 'deliver':
                    doesnot += 1; loops += 'loop' in (f, b); eg.append((self.dev[x[0]], x[2], self.dev[y[0]], y[2], f, b))
        return cannot, doesnot, loops, eg

def load(b, d, M, order=None, extra=()):
    open(f'{d}/b.plan.yaml', 'w').write(text(M, order, extra))
    rc, o, e = run(b, 'assign', '-w', cwd=d)
    if rc not in (0, 1): raise RuntimeError('assign: ' + (e or o)[:500])
    rc, o, e = run(b, 'export', 'json', cwd=d)
    if rc: raise RuntimeError('export: ' + (e or o)[:500])
    return json.loads(o)
def rset(exp): return {(d['device'], x['to'], x['prefix_length'], x['next_hop'], x['out'], x['discard'], x['distance'], x['watch'], x['watch_from']) for d in exp for x in d['routes'] if x['derived']}

def main():
    b, seed, count = sys.argv[1], int(sys.argv[2]), int(sys.argv[3]); opt = sys.argv[4:]
    rem = int(opt[opt.index('--remove') + 1]) if '--remove' in opt else 0; T = collections.Counter()
    for s in range(seed, seed + count):
        M = make(s); d = f'{KEEP}/{s}'; os.makedirs(d, exist_ok=True)
        for f in os.listdir(d): os.remove(f'{d}/{f}')
        t0 = time.time()
        try: exp = load(b, d, M)
        except Exception as e: print(f'seed {s} {M["kind"]}: {str(e)[:400]}'); T['refused'] += 1; continue
        t1 = time.time() - t0
        lines = [sum(x['derived'] for x in q['routes']) for q in exp if q['is'] == 'router']; watches = sum(bool(x['watch']) for q in exp for x in q['routes'])
        flag = ['--devices'] if M['protect'] == 'devices' else []
        rc, o, e = run(b, 'reach', '--failures', '1', '-o', 'json', *flag, cwd=d); R = json.loads(o)
        said = {l['without'][0]: l for l in R['losses']}
        rc, o, e = run(b, 'show', 'routes', '--derived', cwd=d); unp = len(re.findall('not protected|cannot be protected|unprotected', o)); open(f'{d}/derived.txt', 'w').write(o)
        msg = []; tot = collections.Counter(); idle = collections.Counter()
        sims = {f: Sim(exp, M, f) for f in (4, 6)}
        inner = [c for L in M['L'] for c, a, b_ in L['cables'] if not any(a == h or b_ == h for h, q in L['hosts'])]
        fails = [('cable', c) for c in list(sims[4].cables) + inner] + [('seg', sg) for sg, m in sims[4].seg.items() if M['T'] and sg in M['T']] + ([('dev', k) for k in range(len(sims[4].dev)) if k not in sims[4].beyond] + [('dev', q) for L in M['L'] for q in L['sw']] if flag else [])
        base = 0
        for f, S in sims.items():
            S.state(); c, dn, lo, eg = S.lost(S.ends())
            if dn or c: msg.append(f'  v{f}: lost with nothing broken: {c} {dn} {eg[:2]}'); T['base-lost'] += 1
        for kind, x in fails:
            c = dn = lo = 0; eg = []
            for f, S in sims.items():
                S.state(dead_cable=x if kind == 'cable' else None, dead_dev=x if kind == 'dev' else None, dead_seg=x if kind == 'seg' else None)
                a1, a2, a3, a4 = S.lost(S.ends()); c += a1; dn += a2; lo += a3; eg += a4
            name = x if isinstance(x, str) else sims[4].dev[x]
            l = said.get(name, dict(lost=0, cannot=0, does_not=0, loops=0)); T['failures'] += 1
            tot['doesnot'] += dn; tot['loops'] += lo
            if M['carriers'] and re.match(r'x\d', name): continue
            mine = (c + dn, c, dn)
            if mine != (l['lost'], l['cannot'], l['does_not']):
                key = 'carrier-count' if M['carriers'] else 'MISMATCH'
                if M['carriers'] and dn <= l['does_not']: T['carrier-more'] += 1
                else: T[key] += 1; msg.append(f'  {kind} {name}: own lost/cannot/does_not {mine} loops {lo}; tool {l["lost"], l["cannot"], l["does_not"], l["loops"]} {eg[:2]}')
            else: T['agree'] += 1
            if dn: T['does_not-failures'] += 1
            if lo: T['loop-failures'] += 1
        # a device that fails, whatever is protected: what is sent to it, or past it, may be lost and never circles
        if '--dead' in opt:
            dl = collections.Counter()
            for f, S in sims.items():
                E = S.ends()
                for k in range(len(S.dev)):
                    if k in S.beyond: continue
                    S.state(dead_dev=k)
                    for e_ in E:
                        for j in range(len(S.dev)):
                            if j != k and j not in S.beyond and S.walk(j, e_[1]) == 'loop': dl[S.dev[k], S.dev[e_[0]]] += 1
            if dl: T['dead-loops'] += sum(dl.values()); msg.append(f'  dead devices: {sum(dl.values())} loops: {dl.most_common(3)}')
        # unassigned addresses: no loops in any failure
        ul = 0
        r = random.Random(s)
        for f, S in sims.items():
            U = []
            for k, a, n, sg, h in S.ends():
                if n != 'loopback': U.append(a + 3)
            for _ in range(12): U.append(int(ip.ip_address('10.0.0.0')) + r.randrange(1 << 24) if f == 4 else (0x20010db8 << 96) + r.randrange(1 << 96))
            U.append(int(ip.ip_address('203.0.113.5' if f == 4 else '2001:db9::5')))
            for fl in [(None, None)] + fails:
                S.state(dead_cable=fl[1] if fl[0] == 'cable' else None, dead_dev=fl[1] if fl[0] == 'dev' else None, dead_seg=fl[1] if fl[0] == 'seg' else None)
                for a in U:
                    for k in range(len(S.dev)):
                        if k == S.dead or k in S.beyond: continue
                        if S.walk(k, a) == 'loop': ul += 1; (ul < 3) and msg.append(f'  unassigned {ip.ip_address(a)} loops from {S.dev[k]} without {S.dev[fl[1]] if isinstance(fl[1], int) else fl[1]}')
        if ul: T['unassigned-loops'] += ul
        extra = ''
        if rem:
            S = sims[4]; Rl = [(k, x) for k, R_ in enumerate(S.routes) for x in R_ if x['derived']]; r.shuffle(Rl)
            U = [a + 3 for k, a, n, sg, h in S.ends() if n != 'loopback'] + [int(ip.ip_address('10.0.0.0')) + r.randrange(1 << 24) for _ in range(40)] + [int(ip.ip_address('203.0.113.5'))] + ([int(ip.ip_address('192.0.2.9'))] if S.beyond else [])
            links = [i['addrs'][0][0] for I in S.ifs for n, i in I.items() if n.startswith('b')]
            def fate(skip):
                out = []
                for fl in [(None, None)] + fails:
                    S.state(dead_cable=fl[1] if fl[0] == 'cable' else None, dead_dev=fl[1] if fl[0] == 'dev' else None, dead_seg=fl[1] if fl[0] == 'seg' else None, skip=skip)
                    out.append(tuple(sorted((id_, v) for id_, v in S.mon.items() if id_[1] != id(skip))))
                    for q in [e_[1] for e_ in S.ends()] + U:
                        for k in range(len(S.dev)):
                            if k != S.dead: w = S.walk(k, q); out.append(w if w in ('deliver', 'loop') else 'drop')
                return out
            def length(skip):
                S.state(skip=skip); out = []
                for e_ in S.ends():
                    for k in range(len(S.dev)):
                        kk, c_, seen = k, 0, set()
                        while kk not in seen:
                            seen.add(kk); st = S.step(kk, e_[1])
                            if isinstance(st, tuple): break
                            kk = st; c_ += 1
                        out.append(c_)
                return out
            full = fate(None); fl0 = length(None)
            for k, x in Rl[:rem]:
                same = fate(x) == full
                if same:      # whatever lies in the line's own prefix, too
                    w = S.bits - x['l']; ex = sorted({(x['p'] + (1 << w) * q // 24 + q % 3) for q in range(24)} | {x['p'], x['p'] + (1 << w) - 1}); res = []
                    for skip in (None, x):
                        o2 = []
                        for fl in [(None, None)] + fails:
                            S.state(dead_cable=fl[1] if fl[0] == 'cable' else None, dead_dev=fl[1] if fl[0] == 'dev' else None, dead_seg=fl[1] if fl[0] == 'seg' else None, skip=skip)
                            for q in ex:
                                for kk in range(len(S.dev)):
                                    if kk != S.dead: z = S.walk(kk, q); o2.append(z if z in ('deliver', 'loop') else 'drop')
                        res.append(o2)
                    same = res[0] == res[1]
                if same:
                    L = length(x); idle['idle' if L == fl0 else 'only-length'] += 1
                    if L == fl0: msg.append(f'  idle line: {S.dev[k]} {ip.ip_address(x["p"])}/{x["l"]} via {x["nh"] and ip.ip_address(x["nh"])} d{x["d"]} watch {x["w"] and ip.ip_address(x["w"])}')
                else: idle['matters'] += 1
            extra += f' remove {dict(idle)}'; T.update({'rm-' + k: v for k, v in idle.items()})
        if '--shuffle' in opt:
            e2 = load(b, d, M, order=s * 3 + 1); d2 = rset(exp) ^ rset(e2)
            T['shuffle-same' if not d2 else 'shuffle-differs'] += 1
            if d2: msg.append(f'  shuffled: {len(d2)} lines differ of {len(rset(exp))}: {sorted(map(str, d2))[:2]}')
            load(b, d, M)
        if '--rename' in opt:
            r2 = random.Random(s * 7); was = {}
            for old in ([M['names'][0]] if M['kind'] == 'shops' else []) + r2.sample(M['names'], 2):
                if old in was: continue
                new = was[old] = 'q' + ''.join(r2.choice('aeioubdg') for _ in range(6)); rc, o, e = run(b, 'rename', old, new, '-w', cwd=d)
                if rc: msg.append(f'  rename: {rc} {(e or o)[:200]}')
            e2 = json.loads(run(b, 'export', 'json', cwd=d)[1]); back = {v: k for k, v in was.items()}
            A, B = rset(exp), {(back.get(x[0], x[0]),) + x[1:] for x in rset(e2)}; d2 = A ^ B
            T['rename-same' if not d2 else 'rename-differs'] += 1
            if d2: msg.append(f'  renamed {was}: {len(d2)} lines differ of {len(A)}: {sorted(map(str, d2))[:2]}')
            for f in os.listdir(d): os.remove(f'{d}/{f}')
            load(b, d, M)
        if '--add' in opt:
            M2 = dict(M); P = list(M['parts']); rt = M['names'][s % M['n']]; new = f'  snew: {{hosts: 20, from: {"site-" + rt if M["sites"] else "home"}}}'
            P[3] = [y.replace('    interfaces:\n', '    interfaces:\n      n9: {segment: snew, address: first}\n', 1) if y.startswith(f'  {rt}:\n') else y for y in P[3]]; M2['parts'] = tuple(P)
            e2 = load(b, d, M2, extra=[new]); A, B = rset(exp), rset(e2)
            np = [ip.ip_network(f'{i_["addresses"][0]["subnet"]}') for q in e2 if q['device'] == rt for i_ in q['interfaces'] if i_['segment'] == 'snew' for _ in [0]] 
            pref = [ip.ip_network(a_['subnet']) for q in e2 if q['device'] == rt for i_ in q['interfaces'] if i_['segment'] == 'snew' for a_ in i_['addresses'] if not a_['link_local']]
            oth = [y for y in A ^ B if not any(p_.version == ip.ip_network(f'{y[1]}/{y[2]}').version and (p_.subnet_of(ip.ip_network(f'{y[1]}/{y[2]}')) or ip.ip_network(f'{y[1]}/{y[2]}').subnet_of(p_)) for p_ in pref)]
            extra += f' add: +{len(B - A)} -{len(A - B)} not covering it {len(oth)}'; T['add-nets'] += 1; T['add-plus'] += len(B - A); T['add-minus'] += len(A - B); T['add-other'] += len(oth)
            load(b, d, M)
        print(f'seed {s} {M["kind"]} n{M["n"]} E{len(M["parts"][4])} {M["protect"]} sites {M["sites"]} carriers {M["carriers"]}: lines {sum(lines)} max {max(lines)} watches {watches} derive+assign {t1:.1f}s; does_not {tot["doesnot"]} loops {tot["loops"]} tool whole/survived {R["whole"]}/{R["survived"]} of {R["failures"]}{extra}', flush=True)
        for q in (['check'], ['show', 'routes', '--derived']):
            rc, o, e = run(b, *q, cwd=d)
            if rc not in (0, 1): msg.append(f'  {" ".join(q)}: exit {rc}: {e[:200]}')
        T['complaints'] += len(msg)
        for m in msg[:8]: print(m)
        T['nets'] += 1; T['lines'] += sum(lines)
    print(dict(T)); sys.exit(1 if T['complaints'] or T['refused'] or not T['nets'] else 0)
if __name__ == '__main__': main()
