#!/usr/bin/env python3
"""Worksheets of 'steps' replayed in an own model. Usage: steps.py PROGRAM SEED COUNT   (KEEP=FOLDER keeps the plans; FAULTS=1: from planted faults)
Pairs are asked for by places: one end for each switch or wire that members of a segment are plugged into."""
import copy, ipaddress as ip, itertools, json, os, random, re, subprocess, sys, collections, time
import tempfile; KEEP = os.environ.get('KEEP') or tempfile.mkdtemp()
def fam(a): return 6 if ':' in a else 4
bare = lambda a: a.split('/')[0]
def pfx(a): return str(ip.ip_network(a, strict=False))
# ---- model: {'dev': {name: {kind, lo:[..], ifs:{n:{mode,vlan,tagged,parent,admin,addrs,seg}}, routes:{(dest):[nh..]}, permits:[..]}}, 'cables': [...]} , 'segs': {name: {prefix:[..], vlan}}
def make(seed):
    r = random.Random(seed); F = r.choice([[4], [4], [4], [6], [4, 6]])
    nr = r.randint(1, 4); M = dict(dev=collections.OrderedDict(), cables=[], segs=collections.OrderedDict()); P = {}
    def net(k, j, l4=24): return [x for x in ([f'10.{k}.{j}.0/{l4}'] if 4 in F else []) + ([str(ip.ip_network(f'2001:db8:{k:x}:{j:x}::/64'))] if 6 in F else [])]
    def at(ps, n): return [f'{ip.ip_network(p)[n]}/{p.split("/")[1]}' for p in ps]
    for i in range(nr): M['dev'][f'r{i}'] = dict(kind='router', lo=[x for x in ([f'10.9.{i}.1'] if 4 in F else []) + ([str(ip.ip_address(f'2001:db8:9:{i}::1'))] if 6 in F else [])], ifs={}, routes={}, permits=[])
    E = [(i, i + 1) for i in range(nr - 1)] + ([(0, 2)] if nr > 2 and r.random() < .7 else [])
    links = []
    for k, (a, b) in enumerate(E):
        s = f'p{k}'; ps = net(200, k, 30); M['segs'][s] = dict(prefix=ps, vlan=None)
        ia, ib = f'e{len(M["dev"][f"r{a}"]["ifs"])}', f'e{len(M["dev"][f"r{b}"]["ifs"])}'
        M['dev'][f'r{a}']['ifs'][ia] = dict(mode='routed', seg=s, admin=True, addrs=at(ps, 1)); M['dev'][f'r{b}']['ifs'][ib] = dict(mode='routed', seg=s, admin=True, addrs=at(ps, 2))
        M['cables'].append(((f'r{a}', ia), (f'r{b}', ib))); links.append((f'r{a}', f'r{b}', s, k))
    # switch with VLANs below r0
    sw = r.random() < .75
    owner = {}
    if sw:
        sw2 = r.random() < .4
        M['segs']['va'] = dict(prefix=net(10, 0), vlan=10); M['segs']['vb'] = dict(prefix=net(11, 0), vlan=20); owner.update(va='r0', vb='r0')
        R0 = M['dev']['r0']['ifs']; R0['lan0'] = dict(mode='phys', admin=True, addrs=[], seg=None)
        for s in ('va', 'vb'): R0[f'lan0.{M["segs"][s]["vlan"]}'] = dict(mode='sub', parent='lan0', seg=s, admin=True, addrs=at(M['segs'][s]['prefix'], 1))
        D = dict(kind='switch', lo=[], routes={}, permits=[], ifs={'up': dict(mode='trunk', tagged=['va', 'vb'], admin=True, addrs=[], seg=None), 'a1': dict(mode='access', vlan='va', admin=True, addrs=[], seg=None), 'b1': dict(mode='access', vlan='vb', admin=True, addrs=[], seg=None), 'mg': dict(mode='svi', seg='va', admin=True, addrs=at(M['segs']['va']['prefix'], 2))})
        M['dev']['sw0'] = D; M['cables'].append((('r0', 'lan0'), ('sw0', 'up')))
        for p in M['segs']['va']['prefix']: D['routes']['0.0.0.0/0' if fam(p) == 4 else '::/0'] = [str(ip.ip_network(p)[1])]
        M['dev']['op'] = dict(kind='host', lo=[], routes={}, permits=[], ifs={'port': dict(mode='routed', seg='va', admin=True, addrs=at(M['segs']['va']['prefix'], 10))}); M['cables'].append((('op', 'port'), ('sw0', 'a1')))
        hs = 'sw0'; hp = 'b1'
        if sw2:
            D['ifs']['dn'] = dict(mode='trunk', tagged=['va', 'vb'], admin=True, addrs=[], seg=None)
            M['dev']['sw1'] = dict(kind='switch', lo=[], routes={k: list(v) for k, v in D['routes'].items()}, permits=[], ifs={'up': dict(mode='trunk', tagged=['va', 'vb'], admin=True, addrs=[], seg=None), 'b1': dict(mode='access', vlan='vb', admin=True, addrs=[], seg=None), 'mg': dict(mode='svi', seg='va', admin=True, addrs=at(M['segs']['va']['prefix'], 3))})
            M['cables'].append((('sw0', 'dn'), ('sw1', 'up'))); hs = 'sw1'; D['ifs']['b1']['admin'] = r.random() < .5
        M['dev']['hb'] = dict(kind='host', lo=[], routes={}, permits=[], ifs={'port': dict(mode='routed', seg='vb', admin=True, addrs=at(M['segs']['vb']['prefix'], 10))}); M['cables'].append((('hb', 'port'), (hs, hp)))
    else:
        M['segs']['va'] = dict(prefix=net(10, 0), vlan=None); owner['va'] = 'r0'
        M['dev']['r0']['ifs']['lan0'] = dict(mode='routed', seg='va', admin=True, addrs=at(M['segs']['va']['prefix'], 1))
        M['dev']['op'] = dict(kind='host', lo=[], routes={}, permits=[], ifs={'port': dict(mode='routed', seg='va', admin=True, addrs=at(M['segs']['va']['prefix'], 10))}); M['cables'].append((('op', 'port'), ('r0', 'lan0')))
    for i in range(1, nr):
        if len(M['dev']) >= 8: break
        s = f'l{i}'; M['segs'][s] = dict(prefix=net(20 + i, 0), vlan=None); owner[s] = f'r{i}'
        M['dev'][f'r{i}']['ifs']['lan0'] = dict(mode='routed', seg=s, admin=True, addrs=at(M['segs'][s]['prefix'], 1))
        M['dev'][f'h{i}'] = dict(kind='host', lo=[], routes={}, permits=[], ifs={'port': dict(mode='routed', seg=s, admin=True, addrs=at(M['segs'][s]['prefix'], 10))}); M['cables'].append(((f'h{i}', 'port'), (f'r{i}', 'lan0')))
    M['owner'] = owner; M['links'] = links; M['F'] = F; M['pref'] = {}
    routes(M); T = copy.deepcopy(M); what = []
    for _ in range(r.randint(1, 4)):
        k = r.choice(['link', 'lan', 'lan', 'mask', 'vlan', 'vlan', 'lo', 'route', 'permit', 'admin', 'float', 'access', 'resub', 'resub', 'revlan', 'newlo'])
        if k == 'link' and links:
            a, b, s, n = r.choice(links); old = T['segs'][s]['prefix']; T['segs'][s]['prefix'] = net(201, n, 30); swap(T, s, old); what.append(f'link {s}')
        if k == 'lan':
            s = r.choice(list(owner)); old = T['segs'][s]['prefix']; T['segs'][s]['prefix'] = net(60 + list(owner).index(s), 0, r.choice([24, 25])); swap(T, s, old); what.append(f'lan {s}')
        if k == 'mask' and 4 in F:
            s = r.choice(list(owner)); old = T['segs'][s]['prefix']; T['segs'][s]['prefix'] = [(p.split('/')[0] + '/' + r.choice(['25', '26', '23']) if fam(p) == 4 and int(p.split('.')[2]) % 2 == 0 else p) for p in old]; swap(T, s, old); what.append(f'mask {s}')
        if k == 'vlan' and sw:
            s = r.choice(['va', 'vb']); T['segs'][s]['vlan'] = r.choice([30, 40, 50, 60]) + (s == 'vb'); what.append(f'vlan {s}')
        if k == 'resub' and sw:  # another subinterface, with another number or the same, takes the place of one
            sg = r.choice(['va', 'vb']); I = T['dev']['r0']['ifs']; old = [n for n, e in I.items() if e['seg'] == sg][0]
            if r.random() < .5: T['segs'][sg]['vlan'] = r.choice([35, 45, 55]) + (sg == 'vb')
            e = I.pop(old); I[f'lan0.{r.choice([301, 302, 303])}{sg}'] = e; what.append(f'resub {sg}')
        if k == 'revlan' and sw:  # the switch is managed by another interface, mostly in another subnet and VLAN too
            x = r.choice([x for x in T['dev'] if T['dev'][x]['kind'] == 'switch']); I = T['dev'][x]['ifs']; old = [n for n, e in I.items() if e['mode'] == 'svi'][0]
            e = I.pop(old); I[r.choice(['mx', 'my'])] = e; what.append(f'revlan {x}')
        if k == 'newlo' and nr > 1:
            d = f'r{r.randrange(nr)}'; T['dev'][d]['lo'] = [] if T['dev'][d]['lo'] and r.random() < .3 else T['dev'][d]['lo']; what.append(f'newlo {d}')
        if k == 'lo':
            d = f'r{r.randrange(nr)}'; T['dev'][d]['lo'] = [x.replace('10.9.', '10.19.').replace(':9:', ':19:') for x in T['dev'][d]['lo']]; what.append(f'lo {d}')
        if k == 'route' and len(links) == 3: T['pref'] = {d: r.choice(['p0', 'p1', 'p2']) for d in r.sample(['r0', 'r1', 'r2'], 2)}; what.append('route')
        if k == 'float' and len(links) == 3: T['float'] = True; what.append('float')
        if k == 'permit':
            d = f'r{r.randrange(nr)}'; a, b = r.choice(list(owner)), r.choice(list(owner))
            if a != b: T['dev'][d]['permits'] = [f'{a} may not reach {b}']; what.append(f'permit {d}')
        if k == 'admin' and links:
            a, b, s, n = r.choice(links); i = [i for i, e in T['dev'][a]['ifs'].items() if e['seg'] == s][0]
            if len(links) == 3: T['dev'][a]['ifs'][i]['admin'] = False; T['dead'] = T.get('dead', []) + [s]; what.append(f'down {s}')
        if k == 'access' and sw and 'sw1' not in T['dev'] : T['dev']['sw0']['ifs']['b1']['admin'] = not T['dev']['sw0']['ifs']['b1']['admin']; what.append('b1 admin')
    if not what: return make(seed + 100000)
    if r.random() < .2 and M['dev']['r0']['ifs'] and 'permit' in ' '.join(what):
        M, T = T, M; what.append('REVERSED')
    routes(M); routes(T); M['what'] = what
    return M, T
def faults(M, seed):
    r = random.Random(seed * 7 + 3); B = copy.deepcopy(M); what = []
    for _ in range(r.randint(1, 5)):
        k = r.choice(['vport', 'trunk', 'down', 'noroute', 'badroute', 'gw', 'svi', 'mask', 'permit', 'gw'])
        R = [x for x in B['dev'] if B['dev'][x]['kind'] == 'router']; SW = [x for x in B['dev'] if B['dev'][x]['kind'] == 'switch']; H = [x for x in B['dev'] if B['dev'][x]['kind'] == 'host' and x != 'op']
        if k == 'vport' and SW:
            x = r.choice(SW); e = B['dev'][x]['ifs']['b1']; e['vlan'] = 'va' if e['vlan'] == 'vb' else 'vb'; what.append(f'vport {x}')
        if k == 'trunk' and SW:
            x = r.choice(SW); e = r.choice([e for e in B['dev'][x]['ifs'].values() if e['mode'] == 'trunk']); e['tagged'] = [r.choice(['va', 'vb'])]; what.append(f'trunk {x} {e["tagged"]}')
        if k == 'down':
            x = r.choice(R + SW); n = r.choice([n for n, e in B['dev'][x]['ifs'].items() if n != 'a1']); B['dev'][x]['ifs'][n]['admin'] = False; what.append(f'down {x}:{n}')
        if k in ('noroute', 'badroute'):
            x = r.choice(R); D = B['dev'][x]
            if D['routes']:
                p = r.choice(list(D['routes']))
                if k == 'noroute': del D['routes'][p]; what.append(f'noroute {x} {p}')
                else:
                    hs = [h for v in D['routes'].values() for h in v if fam(h) == fam(p)]; D['routes'][p] = [r.choice(hs)]; what.append(f'badroute {x} {p}')
        if k == 'gw' and SW + H:
            x = r.choice(SW + H); D = B['dev'][x]
            for p in D['routes']: D['routes'][p] = [str(ip.ip_address(D['routes'][p][0]) + 3)]
            what.append(f'gw {x}')
        if k == 'svi' and SW:
            x = r.choice(SW); e = B['dev'][x]['ifs']['mg']; e['addrs'] = [f'{ip.ip_address(bare(a)) + 40}/{a.split("/")[1]}' for a in e['addrs']]; what.append(f'svi {x}')
        if k == 'mask' and H:
            x = r.choice(H); e = B['dev'][x]['ifs']['port']; e['addrs'] = [bare(a) + '/26' if fam(a) == 4 else a for a in e['addrs']]; what.append(f'mask {x}')
        if k == 'permit':
            x = r.choice(R); a, b = r.choice(list(B['owner'])), r.choice(list(B['owner']))
            if a != b: B['dev'][x]['permits'] = [f'{a} may not reach {b}']; what.append(f'permit {x} {a} {b}')
    B['what'] = what; M['what'] = what
    return B, M
def swap(T, s, old):
    new = T['segs'][s]['prefix']
    for D in T['dev'].values():
        for e in D['ifs'].values():
            if e['seg'] == s:
                e['addrs'] = [f'{ip.ip_network(n)[int(ip.ip_address(bare(a))) - int(ip.ip_network(o)[0])]}/{n.split("/")[1]}' for a, o, n in zip(e['addrs'], old, new)]
def routes(T):
    adj = collections.defaultdict(list)
    for a, b, s, k in T['links']:
        if s in T.get('dead', []): continue
        for x, y in ((a, b), (b, a)):
            e = [e for e in T['dev'][y]['ifs'].values() if e['seg'] == s][0]; adj[x].append((y, s, {fam(z): bare(z) for z in e['addrs']}))
    for x, D in T['dev'].items():
        if D['kind'] == 'router':
            D['routes'] = {}
            dst = [(p, o) for s, o in T['owner'].items() if o != x for p in T['segs'][s]['prefix']] + [(l + ('/32' if fam(l) == 4 else '/128'), y) for y, Y in T['dev'].items() if y != x for l in Y['lo']]
            for p, o in dst:
                d = {o: 0}; q = [o]
                while q:
                    u = q.pop(0)
                    for v, *_ in adj[u]:
                        if v not in d: d[v] = d[u] + 1; q.append(v)
                nh = sorted(adj[x], key=lambda v: (d.get(v[0], 99), v[1])); pr = T['pref'].get(x)
                l = [v[2][fam(p)] for v in nh]
                use = [l[0]] if l else []
                if pr and not T.get('float'):
                    c = [v for v in nh if v[1] == pr and d.get(v[0], 99) <= d.get(x, 0)]
                    if c: use = [c[0][2][fam(p)]]
                if T.get('float') and len(l) > 1: use = l[:2]
                if use: D['routes'][p] = use
        else:
            e = [e for e in D['ifs'].values() if e['addrs']][0]; s = e['seg']; o = T['owner'][s]; g = [i for i in T['dev'][o]['ifs'].values() if i['seg'] == s][0]
            D['routes'] = {('0.0.0.0/0' if fam(a) == 4 else '::/0'): [bare(a)] for a in g['addrs']}
def plan(M, name):
    q = json.dumps; o = ['ropeswing: 1', f'plan: {name}', 'operator: op', 'segments:']
    for s, S in M['segs'].items(): o.append(f'  {s}: {{' + (f'vlan: {S["vlan"]}, ' if S['vlan'] else '') + f'prefix: [{", ".join(map(q, S["prefix"]))}]}}')
    o.append('devices:')
    for x, D in M['dev'].items():
        o += [f'  {x}:', f'    is: {D["kind"]}']
        if D['lo']: o.append(f'    loopback: [{", ".join(map(q, D["lo"]))}]')
        o.append('    interfaces:')
        for n, e in D['ifs'].items():
            w = {'routed': f'segment: {e["seg"]}, address: [{", ".join(map(q, e["addrs"]))}]', 'sub': None, 'phys': '', 'svi': f'vlan: {e["seg"]}, address: [{", ".join(map(q, e["addrs"]))}]', 'access': f'access: {e.get("vlan")}', 'trunk': f'tagged: [{", ".join(e.get("tagged", []))}]'}[e['mode']]
            if e['mode'] == 'sub': w = f'segment: {e["seg"]}, parent: lan0, tag: {M["segs"][e["seg"]]["vlan"]}, address: [{", ".join(map(q, e["addrs"]))}]'
            if not e['admin']: w += (', ' if w else '') + 'admin: down'
            o.append(f'      {n}: {{{w}}}')
        if D['kind'] != 'router': o.append(f'    gateway: [{", ".join(q(v[0]) for v in D["routes"].values())}]')
        elif D['routes']:
            o.append('    routes:'); o += [f'      {q(p)}: [{", ".join(map(q, v))}]' for p, v in D['routes'].items()]
        if D['permits']: o.append('    permits:'); o += [f'      - {z}' for z in D['permits']]
    o.append('cables:'); o += [f'  - {a[0]}:{a[1]} to {b[0]}:{b[1]}' for a, b in M['cables']]
    return '\n'.join(o) + '\n'

# ---- own network: flat states
def flat(M):
    """device → interfaces with numbers only"""
    S = {}
    for x, D in M['dev'].items():
        I = {}
        for n, e in D['ifs'].items():
            V = lambda s: M['segs'][s]['vlan']
            I[n] = dict(mode=e['mode'], admin=e['admin'], addrs=list(e['addrs']), vlan=V(e['vlan']) if e.get('vlan') else (V(e['seg']) if e['mode'] in ('sub', 'svi') else None), tagged=sorted(V(s) for s in e.get('tagged', [])), parent=e.get('parent'))
        if D['lo']: I['loopback'] = dict(mode='lo', admin=True, addrs=[l + ('/32' if fam(l) == 4 else '/128') for l in D['lo']], vlan=None, tagged=[], parent=None)
        pr = []
        for z in D['permits']:
            a, b = z.split(' may not reach '); pr.append((z, list(M['segs'][a]['prefix']), list(M['segs'][b]['prefix'])))
        S[x] = dict(kind=D['kind'], ifs=I, routes={p: [(1 + 10 * k, h) for k, h in enumerate(v)] for p, v in D['routes'].items()}, permits=pr)
    return S
class View:
    def __init__(self, S, cables):
        self.S, self.far = S, {}
        for a, b in cables: self.far[a] = b; self.far[b] = a
        self.U = {}; self.H = {}; self.own = {}
        for x, D in S.items():
            for n, e in D['ifs'].items():
                if self.up(x, n):
                    for a in e['addrs']: self.own[x, bare(a)] = n
    def up(self, x, n):
        k = (x, n)
        if k in self.U: return self.U[k]
        e = self.S[x]['ifs'][n]; v = e['admin']
        if v:
            if e['mode'] in ('routed', 'phys', 'access', 'trunk'):
                f = self.far.get(k); v = bool(f) and self.S[f[0]]['ifs'][f[1]]['admin']
            elif e['mode'] == 'sub': v = self.up(x, e['parent'])
            elif e['mode'] == 'svi': v = any(self.up(x, p) and (i['mode'] == 'access' and i['vlan'] == e['vlan'] or i['mode'] == 'trunk' and e['vlan'] in i['tagged']) for p, i in self.S[x]['ifs'].items() if i['mode'] in ('access', 'trunk'))
        self.U[k] = v; return v
    def hears(self, x, n):
        k = (x, n)
        if k in self.H: return self.H[k]
        out = set(); seen = set(); e = self.S[x]['ifs'][n]; q = []
        def insw(d, v):
            if (d, v) in seen: return
            seen.add((d, v))
            for p, i in self.S[d]['ifs'].items():
                if i['mode'] == 'svi' and i['vlan'] == v and self.up(d, p): out.add((d, p))
                if self.up(d, p) and i['mode'] == 'access' and i['vlan'] == v: q.append((d, p, None))
                if self.up(d, p) and i['mode'] == 'trunk' and v in i['tagged']: q.append((d, p, v))
        if e['mode'] == 'routed': q.append((x, n, None))
        elif e['mode'] == 'sub': q.append((x, e['parent'], e['vlan']))
        elif e['mode'] == 'svi': insw(x, e['vlan'])
        while q:
            d, p, t = q.pop(); f = self.far.get((d, p))
            if not f or not self.up(d, p): continue
            i = self.S[f[0]]['ifs'][f[1]]
            if i['mode'] == 'access' and t is None: insw(f[0], i['vlan'])
            elif i['mode'] == 'trunk' and t in i['tagged']: insw(f[0], t)
            elif i['mode'] == 'routed' and t is None: out.add(f)
            elif i['mode'] == 'phys':
                for m, j in self.S[f[0]]['ifs'].items():
                    if j['mode'] == 'sub' and j['parent'] == f[1] and j['vlan'] == t and self.up(f[0], m): out.add((f[0], m))
        out.discard(k); self.H[k] = out; return out
    def table(self, x):
        if not hasattr(self, 'T'): self.T = {}
        if x in self.T: return self.T[x]
        t = []; D = self.S[x]
        for n, e in D['ifs'].items():
            if self.up(x, n): t += [(ip.ip_network(a, strict=False), 0, n, None) for a in e['addrs']]
        direct = list(t)
        for p, v in D['routes'].items():
            for d, h in v:
                if h == 'discard': t.append((ip.ip_network(p), d, None, 'discard')); continue
                c = [(z.prefixlen, n) for z, _, n, _ in direct if z.version == fam(h) and ip.ip_address(h) in z and n != 'loopback']
                if c: t.append((ip.ip_network(p), d, max(c)[1], h))
        t.sort(key=lambda z: (-z[0].prefixlen, z[1])); self.T[x] = t; return t
    def lookup(self, x, dst):
        a = ip.ip_address(dst)
        for p, d, n, h in self.table(x):
            if p.version == a.version and a in p: return n, h
        return None
    def walk(self, x, src, dst):
        first = True
        for _ in range(20):
            if (x, dst) in self.own: return x
            if not first and self.S[x]['kind'] != 'router': return None
            if not first and self.S[x]['kind'] == 'router':
                s, d = ip.ip_address(src), ip.ip_address(dst)
                if any(any(s in ip.ip_network(p) for p in A if fam(p) == s.version) and any(d in ip.ip_network(p) for p in B if fam(p) == d.version) for _, A, B in self.S[x]['permits']): return None
            first = False; l = self.lookup(x, dst)
            if not l or l[1] == 'discard': return None
            nh = l[1] or dst; nx = [d for d, i in self.hears(x, l[0]) if any(bare(a) == nh for a in self.S[d]['ifs'][i]['addrs'])]
            if len(set(nx)) != 1: return None
            x = nx[0]
        return None
    def source(self, x, dst):
        l = self.lookup(x, dst)
        if not l or l[0] is None: return None
        c = [bare(a) for a in self.S[x]['ifs'][l[0]]['addrs'] if fam(a) == fam(dst)]
        if not c: return None
        nh = l[1] or dst     # IPv4: the address in the next hop's subnet; else the first
        for a in self.S[x]['ifs'][l[0]]['addrs']:
            if fam(a) == fam(dst) and ip.ip_address(nh) in ip.ip_network(a, strict=False): return bare(a)
        return c[0]
    def flow(self, a, src, b, dst): return (a, src) in self.own and (b, dst) in self.own and self.walk(a, src, dst) == b and self.walk(b, dst, src) == a
    def login(self, op, dev, addr): s = self.source(op, addr); return s and self.flow(op, s, dev, addr) and s
def ends(M):
    """One of each place of a segment: the switches and wires its members are plugged into; hosts before switches and routers, and the places too"""
    far = {}
    for a, b in M['cables']: far[a] = b; far[b] = a
    E = []
    for s in M['owner']:
        at = collections.OrderedDict()
        for x, D in M['dev'].items():
            for n, e in D['ifs'].items():
                if e.get('seg') != s or e['mode'] in ('access', 'trunk', 'phys'): continue
                f = far.get((x, e['parent'] if e['mode'] == 'sub' else n))
                spot = x if e['mode'] == 'svi' else f[0] if f and M['dev'][f[0]]['kind'] == 'switch' else tuple(sorted([(x, n), f])) if f else None
                rank = D['kind'] != 'host'
                if spot not in at or rank < at[spot][0]: at[spot] = (rank, x, n)
        for k, (_, x, n) in enumerate(sorted(at.values(), key=lambda z: z[0])): E.append((s if not k else f'{s} at {x}', x, n, s))
    return E + [(f'{x}:lo', x, 'loopback', f'{x}:lo') for x, D in M['dev'].items() if D['lo']]
def eaddr(S, e, f, G):
    """What stands for an end: its planned address where it has it already, which new connections may come from, else the first it has"""
    has = [bare(a) for a in S[e[1]]['ifs'].get(e[2], {}).get('addrs', []) if fam(a) == f]
    due = [bare(a) for a in G[e[1]]['ifs'].get(e[2], {}).get('addrs', []) if fam(a) == f]
    own = [bare(a) for i in S[e[1]]['ifs'].values() for a in i['addrs']]   # on whichever of its interfaces
    return ([a for a in has if a in due] or has or [a for a in own if a in due])[:1]
def pairs(V, M):
    ok = set(); E = ends(M); G = flat(M)
    for f in M['F']:
        for a in E:
            for b in E:
                if a[0] == b[0] or a[1] == b[1] and a[3] == b[3]: continue
                if any(V.flow(a[1], s, b[1], t) for s in eaddr(V.S, a, f, G) for t in eaddr(V.S, b, f, G)): ok.add((f, a[0], b[0]))
    return ok
DOES = collections.Counter()
ADR = re.compile(r'[0-9a-f.:]+/\d+')
def apply(S, st, dev, T):
    """One set of a worksheet on the flat state; returns None or why it was not understood"""
    D = S[dev]; w, sub, pl, fo, does = st['what'], st['subject'], st['planned'], st['found'], ('also' if st['set'].startswith('also ') else 'remove' if st['set'].startswith('remove ') else 'replace' if ' instead of ' in st['set'] else 'set')
    if does != st['does']: DOES[does, st['does'], w] += 1
    if w == 'address':
        e = D['ifs'].get(sub)
        if e is None: return f'no interface {sub}'
        P, Fo = ADR.findall(pl), ADR.findall(fo)
        if not P and pl and sub == 'loopback': P = [z.strip() + ('/32' if fam(z) == 4 else '/128') for z in pl.split(',')]
        if sub == 'loopback' and not Fo and fo: Fo = [z.strip() + ('/32' if fam(z) == 4 else '/128') for z in fo.split(',')]
        if does == 'set': e['addrs'] = P + [a for a in e['addrs'] if a not in Fo and a not in P and (not P or fam(a) != fam(P[0]))]
        elif does == 'also': e['addrs'] += [p for p in P if p not in e['addrs']]
        elif does == 'replace':
            on = re.search(r' on (\S+)$', fo); src = D['ifs'][on.group(1)] if on else e
            if not set(Fo) <= set(src['addrs']): return f'replace: {Fo} is not on {on and on.group(1) or sub}'
            src['addrs'] = [a for a in src['addrs'] if a not in Fo]; e['addrs'] += P
        else: e['addrs'] = [a for a in e['addrs'] if a not in Fo or a in P]
        return
    if w in ('next hop', 'route', 'gateway', 'distance'):
        p = sub.split(' ')[0]
        def hops(t):
            o = []
            for k, z in enumerate(re.split(r', then ', t)):
                m = re.search(r'via ([0-9a-f.:]+)', z); d = re.search(r'distance:? (\d+)', z)
                if 'discard' in z: o.append((int(d.group(1)) if d else 1 + 10 * k, 'discard'))
                elif m: o.append((int(d.group(1)) if d else 1 + 10 * k, m.group(1)))
            return o
        P, Fo = hops(pl if does != 'also' and w != 'distance' else st['set']), hops(fo)
        if does == 'replace':
            if not set(Fo) <= set(D['routes'].get(p, [])): return f'replace: {Fo} is not there: {D["routes"].get(p)}'
            D['routes'][p] = [z for z in D['routes'][p] if z not in Fo] + P; return
        if does == 'set' and w == 'distance': # of a next hop that is there: the others stay
            if not P or P[0][1] not in [z[1] for z in D['routes'].get(p, [])]: return f'distance of {P}, which is not there: {D["routes"].get(p)}'
            D['routes'][p] = [P[0] if z[1] == P[0][1] else z for z in D['routes'][p]]
        elif does == 'set': D['routes'][p] = P
        elif does == 'also': D['routes'][p] = D['routes'].get(p, []) + [z for z in P if z[1] not in [y[1] for y in D['routes'].get(p, [])]]
        else:
            left = [z for z in D['routes'].get(p, []) if z not in Fo] if not P else P
            if left: D['routes'][p] = left
            else: D['routes'].pop(p, None)
        return
    if w == 'admin status': D['ifs'][sub]['admin'] = pl == 'up'; return
    if w == 'vlan':
        e = D['ifs'][sub]; m = re.match(r'tagged ([\d, ]+)$', pl)
        if m:
            P, n = {int(z) for z in m.group(1).split(',')}, re.match(r'tagged ([\d, ]+)', fo)
            Fo = {int(z) for z in n.group(1).strip(', ').split(',')} if n else set()
            e['tagged'] = sorted(set(e['tagged']) | P if does == 'also' else set(e['tagged']) - Fo | P if does == 'remove' else P); return
        m = re.match(r'(?:access|untagged) (\d+)$', pl)
        if m: e['vlan'] = int(m.group(1)); return
        return 'vlan? ' + pl
    if w == 'tag':
        n = re.findall(r'\d+', pl); D['ifs'][sub]['vlan'] = int(n[-1]); return
    if w == 'permit': D['permits'] = copy.deepcopy(T[dev]['permits']); return
    if w == 'interface':
        if does == 'remove':
            if D['ifs'][sub]['addrs']: return f'{sub} goes with addresses on it'
            D['ifs'].pop(sub); return
        if sub in D['ifs']: return f'{sub} is there already'
        t = T[dev]['ifs'][sub]
        if any(t['vlan'] and (e['mode'], e['vlan'], e['parent']) == (t['mode'], t['vlan'], t['parent']) for e in D['ifs'].values()): return f'{sub} wants a VLAN that another has'
        D['ifs'][sub] = dict(copy.deepcopy(T[dev]['ifs'][sub]), addrs=[]); return
    return f'{w}? {st["set"]}'
def canon(S): return {x: ({n: (e['admin'], sorted(e['addrs']), e['vlan'], tuple(e['tagged'])) for n, e in D['ifs'].items()}, {p: sorted(v) for p, v in D['routes'].items()}, [z[0] for z in D['permits']], sorted(map(str, [z[1:] for z in D['permits']]))) for x, D in S.items()}
def fixpermits(S, dev, T, cur): pass

def main():
    prog, seed, count = sys.argv[1], int(sys.argv[2]), int(sys.argv[3]); C = collections.Counter()
    for s in range(seed, seed + count):
        M, T = make(s)
        if os.environ.get('FAULTS'): w_ = M['what']; M, T = faults(M, s)
        for nm, X in (('from', M), ('to', T)):
            d = f'{KEEP}/{s}-{nm}'; os.makedirs(d, exist_ok=True); open(f'{d}/x.plan.yaml', 'w').write(plan(X, nm))
        p = subprocess.run(['nice', prog, 'steps', f'{KEEP}/{s}-from/x.plan.yaml', '-p', f'{KEEP}/{s}-to/x.plan.yaml', '-o', 'json'], capture_output=True, text=True, timeout=120)
        if p.returncode not in (0, 1): print(f'{s} {M["what"]}: refused {p.stderr[:300]}'); C['refused'] += 1; continue
        W = json.loads(p.stdout); S, G = flat(M), flat(T); msg = []; cab = M['cables']
        V0, V1 = View(S, cab), View(G, cab); keep = pairs(V0, T) & pairs(V1, T); ctot = tb = 0
        cur = copy.deepcopy(S); vis = None; items = []
        C['pairs'] += 1; C['steps'] += len(W['steps'])
        for st in W['steps']:
            V = View(cur, cab); dev, lg = st['device'], st['login']; src = None
            if dev != 'op':
                if lg:
                    src = V.login('op', dev, lg)
                    if not src: msg.append(f'step {st["step"]} {dev}: login {lg} does not work before the step'); C['login-bad'] += 1
                    else: C['login-ok'] += 1
                else:
                    alt = [bare(a) for n, e in cur[dev]['ifs'].items() for a in e['addrs'] if V.login('op', dev, bare(a))]
                    if alt and cur[dev]['kind'] != 'host': msg.append(f'step {st["step"]} {dev}: console said, yet {alt} works'); C['console-wrong'] += 1
            nxt = copy.deepcopy(cur)
            for x in st['sets']:
                e = apply(nxt, x, dev, G)
                if e: msg.append(f'step {st["step"]}: {e}'); C['not-understood'] += 1
                items.append((dev, x))
            W2 = View(nxt, cab)
            if src:
                stays = W2.flow('op', src, dev, lg)
                if st['session'] == 'stays' and not stays: msg.append(f'step {st["step"]} {dev} at {lg} from {src}: said stays, own model: lost: {[x["set"] for x in st["sets"]]}'); C['FALSE-STAYS'] += 1
                elif st['session'] in ('ends', 'moves') and stays: msg.append(f'step {st["step"]} {dev}: said {st["session"]}, own model: stays'); C['false-ends'] += 1
                else: C['session-ok'] += 1
                if st['session'] in ('ends', 'moves') and st['then'] and not W2.login('op', dev, st['then']): msg.append(f'step {st["step"]} {dev}: then {st["then"]} does not work'); C['then-bad'] += 1
                if st['session'] not in ('stays',): C['session-' + st['session']] += 1
            elif dev == 'op': C['local'] += 1
            own = keep - pairs(W2, T); ctot += len(own); tb += st['broken']; C['broken-steps'] += bool(own)
            if (len(own) > 0) != (st['broken'] > 0): msg.append(f'step {st["step"]} {dev} {[x["set"] for x in st["sets"]]}: own broken {len(own)} {sorted(own)[:2]}, said {st["broken"]} {st.get("such_as", "")}'); C['BROKEN-DIFFERS'] += 1
            elif len(own) != st['broken']: C['broken-count-differs'] += 1; msg.append(f'step {st["step"]}: broken own {len(own)} said {st["broken"]}')
            else: C['broken-ok'] += 1
            cur = nxt
        a, b = canon(cur), canon(G)
        if a != b:
            df = [(x, k, [(n, a[x][k].get(n), b[x][k].get(n)) for n in set(a[x][k]) | set(b[x][k]) if a[x][k].get(n) != b[x][k].get(n)] if isinstance(a[x][k], dict) else (a[x][k], b[x][k])) for x in a for k in range(4) if a[x][k] != b[x][k]]
            msg.append(f'END differs: {df[:3]} otherwise {W["otherwise"]} not_set {W["not_set"]}'); C['END-DIFFERS'] += 1
        else: C['end-ok'] += 1
        # brute force over the tool's own items
        if 2 <= len(W['steps']) <= 6 and tb + ctot > 0:
            best = None
            for perm in itertools.permutations(range(len(W['steps']))):
                cu = copy.deepcopy(S); tot = 0; cut = False
                for k in perm:
                    st = W['steps'][k]; V = View(cu, cab)
                    if st['device'] != 'op' and st['login'] and not any(V.login('op', st['device'], bare(z)) for e in cu[st['device']]['ifs'].values() for z in e['addrs']): cut = True; break
                    if any([apply(cu, x, st['device'], G) for x in st['sets']]): cut = True; break
                    tot += len(keep - pairs(View(cu, cab), T))
                if not cut and (best is None or tot < best[0]): best = (tot, perm)
            if best: C['brute'] += 1
            if best and best[0] < ctot: msg.append(f'BETTER ORDER: own sum {best[0]} with {[p_ + 1 for p_ in best[1]]}, tool order {ctot} (tool says {tb}, whole {W["whole"]})'); C['BETTER'] += 1
        elif len(W['steps']) <= 6: C['nothing-breaks'] += 1
        print(f'{s} {M["what"]} {len(M["dev"])} dev F{M["F"]}: {len(W["steps"])} steps safe {W["safe"]} whole {W["whole"]} broken own {ctot} said {tb}', flush=True)
        C['complaints'] += len(msg)
        for m in msg[:7]: print('   ', m)
    print(dict(C)); print('does and set differ:', dict(DOES)); sys.exit(1 if C['complaints'] or C['refused'] or DOES or not C['pairs'] else 0)
if __name__ == '__main__': main()
