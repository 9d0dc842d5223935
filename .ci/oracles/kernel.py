#!/usr/bin/env python3
"""The one of ../shared widened: equal cost with the kernel's hash seeded anew in each round, and IPv6 errors as this kernel sends them.
PORTS=1: permits by ports, ranges of them and marks, ports that are translated, and TCP and UDP sessions beside the pings.
TRACES=N traces so many of the pairs that are pinged. CUT=1 cuts one cable of each network: both ends keep their addresses and lose their carrier, and predictions are asked with --without.
Predictions held against a real kernel: link-local links, /31 /127, unnumbered, recursion, equal cost, MTU steps, permits, translation, TTL.
Usage (root): kernel.py PROGRAM SEED COUNT OUTDIR   Own namespaces only (zt<pid>…). Prints disagreements; writes OUTDIR/SEED.json and .plan.yaml"""
import atexit, ipaddress as ip, json, os, random, signal, subprocess, sys, re, collections, time, concurrent.futures as cf
import tempfile; KEEP = os.environ.get('KEEP') or tempfile.mkdtemp()
PROG = 'ropeswing'; INCOMING = False; ROUNDS = int(os.environ.get('ROUNDS', '6'))
TAG = f'zt{os.getpid()}'
def sh(cmd, check=True, t=60):
    p = subprocess.run(cmd, shell=True, capture_output=True, text=True, timeout=t)
    if check and p.returncode: raise RuntimeError(cmd[:300] + '\n' + p.stderr[:600])
    return p.returncode, p.stdout + p.stderr
bare = lambda a: a.split('/')[0]
fam = lambda a: 6 if ':' in a else 4

ERRORS = '/proc/sys/net/ipv4/route/error_cost'
class Net: pass
def errors_incoming():
    """whether this kernel sends IPv6 errors from the interface the packet came in by: h -(in)- r, and r answers by another wire"""
    n = [f'{TAG}q{k}' for k in 'hr']
    try:
        for x in n: sh(f'ip netns add {x}; ip netns exec {x} sysctl -q -w net.ipv6.conf.all.forwarding=1 net.ipv6.conf.all.accept_dad=0 net.ipv6.conf.default.accept_dad=0')
        for k in (1, 2): sh(f'ip link add e{k} netns {n[0]} type veth peer name e{k} netns {n[1]}')
        for k in (1, 2):
            for j, x in enumerate(n): sh(f'ip -n {x} link set e{k} up && ip -n {x} addr add 2001:db8:0:{k}::{j + 1}/64 dev e{k} nodad')
        sh(f'ip -n {n[0]} addr add 2001:db8:9::1/128 dev e1 nodad; ip -n {n[0]} -6 route add default via 2001:db8:0:1::2 src 2001:db8:9::1'); sh(f'ip -n {n[1]} -6 route add 2001:db8:9::1/128 via 2001:db8:0:2::1'); time.sleep(.5)
        m = ERR.search(sh(f'ip netns exec {n[0]} ping -n -c 1 -W 1 -I 2001:db8:9::1 2001:db8:eeee::1', check=False)[1])
        return bool(m and m.group(1) == '2001:db8:0:1::2')
    finally:
        for x in n: sh(f'ip netns del {x}', check=False)

def make(seed):
    r = random.Random(seed); N = Net(); N.seed = seed; N.feat = set()
    N.settings = {'answers-without-link': True}
    n = r.randint(2, 5)
    R = [f'r{i}' for i in range(n)]
    N.dev = collections.OrderedDict(); N.seg = collections.OrderedDict()
    for x in R: N.dev[x] = dict(kind='router', ifs=collections.OrderedDict(), lo=[], routes=[], permits=[], translates=[], state=False, otherwise='pass', tables={})
    def feat(name, p):
        if r.random() < p: N.feat.add(name); return True
        return False
    N.settings['error-source'] = {'ipv4': 'incoming', 'ipv6': 'incoming' if INCOMING else 'towards-sender'}
    if feat('errsrc', .3): N.settings['error-source']['ipv4'] = r.choice(['incoming', 'towards-sender'])
    if feat('thrudefault', .2): N.settings['resolve-through-default'] = True
    for i, x in enumerate(R):
        if r.random() < .75: N.dev[x]['lo'] = [f'10.9.{i}.1', f'2001:db8:9:{i or 99}::1']
    edges = [(r.randrange(i), i) for i in range(1, n)]
    for _ in range(r.randint(0, 3)):
        a, b = r.randrange(n), r.randrange(n)
        if a != b: edges.append((min(a, b), max(a, b)))    # parallel links allowed
    llonly = feat('llonly', .45); unn = feat('unnumbered', .4); unn and feat('ethborrow', .5); mtuf = feat('mtu', .45)
    N.adj = {x: [] for x in R}
    for k, (a, b) in enumerate(edges):
        s = f'p{k}'; A, B = R[a], R[b]
        ia, ib = f'e{len(N.dev[A]["ifs"])}', f'e{len(N.dev[B]["ifs"])}'
        ea, eb = dict(seg=s, a4=[], a6=[], up=True), dict(seg=s, a4=[], a6=[], up=True)
        pl = r.choice([30, 31, 31, 29]); p4 = ip.ip_network(f'10.255.{k}.0/{pl}')
        x4, y4 = (p4[0], p4[1]) if pl == 31 else (p4[1], p4[2])
        N.seg[s] = dict(kind='p2p', prefix=[])
        if unn and N.dev[A]['lo'] and N.dev[B]['lo'] and r.random() < .6:
            ea['borrow'] = eb['borrow'] = True; v4a, v4b = N.dev[A]['lo'][0], N.dev[B]['lo'][0]
        else:
            N.seg[s]['prefix'].append(str(p4)); ea['a4'] = [f'{x4}/{pl}']; eb['a4'] = [f'{y4}/{pl}']; v4a, v4b = str(x4), str(y4)
        pl6 = r.choice([64, 127]); p6 = ip.ip_network(f'2001:db8:ff:{k:x}::/{pl6}'); x6, y6 = (p6[0], p6[1]) if pl6 == 127 else (p6[1], p6[2])
        ea['ll'], eb['ll'] = f'fe80::{k:x}:a', f'fe80::{k:x}:b'
        if (llonly and r.random() < .7) or ea.get('borrow'): v6a, v6b = ea['ll'], eb['ll']; ea['llonly'] = eb['llonly'] = True
        else:
            N.seg[s]['prefix'].append(str(p6)); ea['a6'] = [f'{x6}/{pl6}']; eb['a6'] = [f'{y6}/{pl6}']
            v6a, v6b = (ea['ll'], eb['ll']) if r.random() < .3 else (str(x6), str(y6))
        if mtuf and r.random() < .6:
            m = r.choice([1280, 1300, 1400, 1492]); ea['mtu'] = eb['mtu'] = m
            if r.random() < .15: eb['mtu'] = r.choice([1280, 1400, 1500])
        N.dev[A]['ifs'][ia] = ea; N.dev[B]['ifs'][ib] = eb
        N.adj[A].append((B, ia, v4b, v6b, bool(ea.get('borrow')), k)); N.adj[B].append((A, ib, v4a, v6a, bool(eb.get('borrow')), k))
        if not ea.get('borrow') and pl in (29,) and r.random() < .5:      # secondary and prefer
            N.feat.add('secondary'); ea['a4'].append(f'{p4[4]}/{pl}')
            if r.random() < .5: N.feat.add('prefer'); ea['prefer'] = str(p4[4])
    lans = []
    for i, x in enumerate(R):
        for j in range(r.randint(1 if i in (0, n - 1) else 0, 1 if n > 3 else 2)):
            s = f'l{i}{j}'; pl = r.choice([24, 26, 28]); p4 = ip.ip_network(f'10.{i + 1}.{j * 64}.0/{pl}'); p6 = ip.ip_network(f'2001:db8:{i + 1:x}:{j:x}::/64')
            N.seg[s] = dict(kind='lan', prefix=[str(p4), str(p6)])
            e = dict(seg=s, a4=[f'{p4[1]}/{pl}'], a6=[f'{p6[1]}/64'], up=True, ll=f'fe80::{i + 1:x}{j:x}:1')
            if r.random() < .25:
                N.feat.add('secondary'); q = ip.ip_network(f'172.{16 + i}.{j}.0/25'); N.seg[s]['prefix'].append(str(q)); e['a4'].append(f'{q[1]}/25')
            N.dev[x]['ifs'][f'e{len(N.dev[x]["ifs"])}'] = e
            hs = []
            for h in range(r.randint(1, 2)):
                if len(N.dev) >= 10: break
                nm = f'h{i}{j}{h}'; he = dict(seg=s, a4=[f'{p4[5 + h]}/{pl}'], a6=[f'{p6[0x10 + h]}/64'], up=True, ll=f'fe80::{i + 1:x}{j:x}:1{h}')
                if len(e['a4']) > 1 and r.random() < .5: he['a4'].append(f'{ip.ip_network(e["a4"][1], strict=False)[9 + h]}/25')
                g6 = bare(e['a6'][0])
                N.dev[nm] = dict(kind='host', ifs={'port': he}, lo=[], routes=[], permits=[], translates=[], state=False, otherwise='pass', tables={}, gw4=bare(e['a4'][0]), gw6=g6); hs.append(nm)
            lans.append((s, x, hs))
    N.lans = lans
    # routes
    def dist(dst):
        d = {dst: 0}; q = [dst]
        while q:
            u = q.pop(0)
            for v in N.adj[u]:
                if v[0] not in d: d[v[0]] = d[u] + 1; q.append(v[0])
        return d
    ecmp = feat('ecmp', .5); rec = feat('recursive', .5); deflt = feat('defaults', .4)
    def hop(v, f): # next hop entry
        via = v[2] if f == 4 else v[3]
        return (via, v[1] if (via.startswith('fe80') or (f == 4 and v[4])) else None)
    for x in R:
        dsts = []                       # (prefix, owner, wantlo)
        for s, o, _ in lans:
            if o != x: dsts += [(p, o) for p in N.seg[s]['prefix']]
        for y in R:
            if y != x and N.dev[y]['lo']: dsts += [(N.dev[y]['lo'][0] + '/32', y), (N.dev[y]['lo'][1] + '/128', y)]
        if r.random() < .6:
            for y in R:
                if y == x: continue
                for i, e in N.dev[y]['ifs'].items():
                    if e['seg'].startswith('p'):
                        for p in N.seg[e['seg']]['prefix']:
                            if not any(z['seg'] == e['seg'] for z in N.dev[x]['ifs'].values()) and not any(d[0] == p for d in dsts): dsts.append((p, y))
        mydef = deflt and r.random() < .5
        for p, o in dsts:
            f = fam(p); d = dist(o); nh = sorted(N.adj[x], key=lambda v: (d.get(v[0], 99), v[5])); u = r.random()
            if mydef and not p.startswith(('10.9.', '2001:db8:9:')) and u < .5: continue
            if u > .95: continue
            if u > .91: pick = [r.choice(nh)]
            else: pick = [nh[0]]
            lohost = p.endswith(('/32', '/128'))
            if ecmp and len(nh) > 1 and r.random() < .5:
                others = [v for v in nh[1:] if d.get(v[0], 99) <= d.get(nh[0][0], 99) + (1 if r.random() < .2 else 0)]
                if others: pick.append(others[0])
            pick = [hop(v, f) for v in pick]
            if rec and not lohost and N.dev[o]['lo'] and r.random() < .6: pick = [(N.dev[o]['lo'][0 if f == 4 else 1], None)]
            elif rec and lohost and r.random() < .3:
                mids = [y for y in R if y not in (x, o) and N.dev[y]['lo'] and d.get(y, 9) < d.get(x, 9)]
                if mids: pick = [(N.dev[r.choice(mids)]['lo'][0 if f == 4 else 1], None)]
            if .86 < u < .89 and not lohost: N.dev[x]['routes'].append(dict(to=p, discard=True, d=1, via=[])); N.feat.add('discard'); continue
            N.dev[x]['routes'].append(dict(to=p, via=pick, d=1))
            if r.random() < .25 and len(nh) > 1:
                alt = hop(nh[-1], f)
                if alt not in pick: N.dev[x]['routes'].append(dict(to=p, via=[alt], d=50)); N.feat.add('floating')
        if mydef:
            for f in (4, 6):
                v = r.choice(N.adj[x]); N.dev[x]['routes'].append(dict(to='0.0.0.0/0' if f == 4 else '::/0', via=[hop(v, f)], d=1))
    if feat('down', .25):
        x = r.choice(R); e = r.choice(list(N.dev[x]['ifs'].values())); e['up'] = False
    # permits
    policy = None
    if feat('permits', .4) and lans:
        x = r.choice(R); D = N.dev[x]; D['state'] = r.random() < .55; D['otherwise'] = r.choice(['drop', 'pass', 'refuse'])
        if D['state']: N.feat.add('stateful')
        def side():
            u = r.random()
            if u < .5: return r.choice(lans)[0]
            if u < .65: return 'anyone'
            if u < .85:
                hs = [h for h in N.dev if N.dev[h]['kind'] == 'host']; return r.choice(hs)
            return r.choice([p for s in N.seg.values() for p in s['prefix']])
        for _ in range(r.randint(1, 5)):
            a, b = side(), side()
            if a == b: continue
            pair = [y for y in (a, b) if re.match(r'[0-9a-f.:]+/', y)]
            if len(pair) == 2 and fam(pair[0]) != fam(pair[1]): continue
            D['permits'].append((a, r.choice(['may reach', 'may reach', 'may reach', 'may not reach', 'is refused', 'may answer']), b, r.choice(['', '', 'icmp', 'tcp/443'])))
        if not D['permits'] : D['otherwise'] = 'pass'; D['state'] = False; N.feat.discard('permits')
    # translation: on a router with a LAN towards one p2p interface, IPv4 only
    if feat('nat', .4):
        c = [(x, s, hs) for s, x, hs in lans if hs and any(i['seg'].startswith('p') and i['a4'] and i['up'] for i in N.dev[x]['ifs'].values()) and not N.dev[x]['permits']]
        if c:
            x, s, hs = r.choice(c); D = N.dev[x]
            w, e = r.choice([(i, e) for i, e in D['ifs'].items() if e['seg'].startswith('p') and e['a4'] and e['up']])
            kind = r.choice(['is', 'is', 'shares', 'sharesB', 'both', 'prefix']); N.feat.add('nat-' + kind)
            pool = '198.51.100'; pre = [p for p in N.seg[s]['prefix'] if fam(p) == 4][0]
            ha = bare(N.dev[hs[0]]['ifs']['port']['a4'][0])
            if kind in ('is', 'both'): D['translates'].append(('is', hs[0], ha, f'{pool}.35', w))
            if kind in ('shares', 'both'): D['translates'].append(('shares', s, None, None, w))
            if kind == 'sharesB': D['translates'].append(('sharesB', s, None, f'{pool}.36', w))
            if kind == 'prefix': D['translates'].append(('isp', pre, pre, f'198.51.0.0/{pre.split("/")[1]}', w))
            # pool routed to x by all others
            for y in R:
                if y == x: continue
                d = dist(x); v = sorted(N.adj[y], key=lambda v: (d.get(v[0], 99), v[5]))[0]
                # only through the peer on that very link at the last step
                if v[0] == x:
                    c2 = [q for q in N.adj[y] if q[0] == x and N.dev[x]['ifs'][w]['seg'] == N.dev[y]['ifs'][q[1]]['seg']]
                    if c2: v = c2[0]
                if r.random() < .9: N.dev[y]['routes'].append(dict(to='198.51.0.0/16', via=[hop(v, 4)], d=1))
            if r.random() < .5: N.feat.add('hairpin'); v = [q for q in N.adj[x] if q[1] == w][0]; D['routes'].append(dict(to='198.51.0.0/16', via=[hop(v, 4)], d=1)) 
            if D['translates'] and r.random() < .5:   # stateful firewall with NAT
                D['state'] = True; D['otherwise'] = 'drop'; N.feat.add('natfw')
                D['permits'] = [(s, 'may reach', 'anyone', ''), ('anyone', 'may reach', hs[0], 'icmp')]
    if PORTS: ports(N, lans, hop, dist)
    # second table
    if feat('table', .0):
        c = [x for x in R if not N.dev[x]['permits'] and not N.dev[x]['translates'] and any(e['seg'].startswith('l') for e in N.dev[x]['ifs'].values())]
        if c:
            x = r.choice(c); D = N.dev[x]; li = r.choice([i for i, e in D['ifs'].items() if e['seg'].startswith('l')]); D['ifs'][li]['table'] = 'blue'
            pi = r.choice([i for i, e in D['ifs'].items() if e['seg'].startswith('p')] )
            if not D['ifs'][pi].get('borrow'):
                D['ifs'][pi]['table'] = 'blue'
                v = [q for q in N.adj[x] if q[1] == pi][0]
                D['tables']['blue'] = [dict(to='0.0.0.0/0', via=[hop(v, 4)], d=1), dict(to='::/0', via=[hop(v, 6)], d=1)]
        else: N.feat.discard('table')
    for D in N.dev.values():       # exact repeats out
        seen, out = set(), []
        for x in D['routes']:
            k = (x['to'], x['d'])
            if k not in seen: seen.add(k); out.append(x)
        D['routes'] = out
    N.cut = None
    return N

PORTS = bool(os.environ.get('PORTS'))
SERVICES = ['icmp', 'tcp/443', 'tcp/5000..5010', 'udp/53', 'udp/5060 marked ef', 'tcp/443 marked cs1', 'udp/1..5059', 'tcp']
def ports(N, lans, hop, dist):
    """permits speak of ports and marks, and a port of a host is another beyond an interface"""
    r = random.Random(N.seed * 7 + 1); N.feat.add('ports')
    x = r.choice([x for x in N.dev if N.dev[x]['kind'] == 'router']); D = N.dev[x]
    if not D['permits'] and not D['translates'] and lans:
        D['state'] = r.random() < .6; D['otherwise'] = r.choice(['drop', 'pass', 'refuse'])
        for _ in range(r.randint(2, 5)):
            a, b = r.choice(lans)[0] if r.random() < .6 else 'anyone', r.choice(lans)[0] if r.random() < .6 else 'anyone'
            if a != b: D['permits'].append((a, r.choice(['may reach', 'may reach', 'may not reach', 'is refused', 'may answer']), b, ''))
        if not D['permits']: D['otherwise'] = 'pass'; D['state'] = False
    for y in N.dev.values(): y['permits'] = [(a, v, b, r.choice(SERVICES + ['', ''])) for a, v, b, _ in y['permits']]
    c = [(x, hs) for s, x, hs in lans if hs and not N.dev[x]['permits'] and not N.dev[x]['translates'] and any(e['seg'].startswith('p') and e['a4'] and e['up'] for e in N.dev[x]['ifs'].values())]
    if c and r.random() < .6:
        x, hs = r.choice(c); w = r.choice([i for i, e in N.dev[x]['ifs'].items() if e['seg'].startswith('p') and e['a4'] and e['up']]); N.feat.add('nat-port')
        N.dev[x]['translates'].append(('port', hs[0], bare(N.dev[hs[0]]['ifs']['port']['a4'][0]), '198.51.100.37', w))
        d = dist(x)
        for y in N.dev:
            if y != x and N.dev[y]['kind'] == 'router' and N.adj.get(y):
                v = sorted(N.adj[y], key=lambda v: (d.get(v[0], 99), v[5]))[0]
                if v[0] == x: v = next((z for z in N.adj[y] if z[0] == x and N.dev[x]['ifs'][w]['seg'] == N.dev[y]['ifs'][z[1]]['seg']), v)
                N.dev[y]['routes'].append(dict(to='198.51.100.36/30', via=[hop(v, 4)], d=1))

def q(x): return json.dumps(x)
def plan(N):
    o = ['ropeswing: 1', f'plan: truth2 {N.seed}']
    st = []
    for k, v in N.settings.items():
        st.append(f'  {k}: ' + ('true' if v is True else '{' + ', '.join(f'{a}: {b}' for a, b in v.items()) + '}'))
    o += ['settings:'] + st + ['segments:']
    for s, S in N.seg.items(): o.append(f'  {s}: {{prefix: [{", ".join(map(q, S["prefix"]))}]}}' if S['prefix'] else f'  {s}: {{}}')
    o.append('devices:')
    ends = collections.defaultdict(list)
    def rt(lst, ind):
        by = collections.OrderedDict()
        for x in lst: by.setdefault(x['to'], []).append(x)
        out = []
        for to, xs in by.items():
            l = []
            for x in xs:
                if x.get('discard'): l.append(f'{{discard: true, distance: {x["d"]}}}')
                for via, dev in x['via']: l.append(f'{{next-hop: {q(via)}' + (f', out: {dev}' if dev else '') + f', distance: {x["d"]}}}')
            out.append(f'{ind}{q(to)}: [{", ".join(l)}]')
        return out
    for x, D in N.dev.items():
        o += [f'  {x}:', f'    is: {D["kind"]}']
        if D['lo']: o.append(f'    loopback: [{", ".join(map(q, D["lo"]))}]')
        if D['kind'] == 'host': o.append(f'    gateway: [{", ".join(q(g) for g in (D["gw4"], D["gw6"]) if g)}]')
        o.append('    interfaces:')
        for i, e in D['ifs'].items():
            ends[e['seg']].append(f'{x}:{i}')
            a = e['a4'][:1] + e['a6'][:1]; sec = e['a4'][1:] + e['a6'][1:]
            w = [f'segment: {e["seg"]}']
            if e.get('borrow'): w.append('borrow: loopback' + ('' if 'ethborrow' in N.feat else ', line: serial' + (', clock: here' if e['ll'].endswith('a') else '')))
            elif a: w.append(f'address: [{", ".join(map(q, a))}]')
            else: w.append('address: none')
            if sec: w.append(f'secondary: [{", ".join(map(q, sec))}]')
            if e.get('prefer'): w.append(f'prefer: {q(e["prefer"])}')
            if e.get('ll'): w.append(f'link-local: {q(e["ll"])}')
            if e.get('mtu'): w.append(f'mtu: {e["mtu"]}')
            if e.get('table'): w.append(f'table: {e["table"]}')
            if not e['up']: w.append('admin: down')
            o.append(f'      {i}: {{{", ".join(w)}}}')
        if D['routes']: o += ['    routes:'] + rt(D['routes'], '      ')
        if D['tables']: 
            o.append('    tables:')
            for t, l in D['tables'].items(): o += [f'      {t}:'] + rt(l, '        ')
        if D['permits']:
            o.append('    permits:')
            for a, v, b, sv in D['permits']: o.append('      - ' + q(f'{a} {v} {b}' + (f' over {sv}' if sv else '')))
            o.append(f'    otherwise: {D["otherwise"]}'); o.append(f'    keeps-state: {"true" if D["state"] else "false"}')
        if D['translates']:
            o.append('    translates:')
            for k, who, a, b, w in D['translates']:
                o.append('      - ' + q({'is': f'{who} is {b} beyond {w}', 'isp': f'{who} is {b} beyond {w}', 'shares': f'{who} shares {w}', 'sharesB': f'{who} shares {b} beyond {w}', 'port': f'{who}:443 is {b}:8443 beyond {w}'}[k]))
    o.append('cables:')
    o += [f'  - {s}-cable: {" to ".join(ends[s])}' for s, S in N.seg.items() if S['kind'] == 'p2p']
    return '\n'.join(o) + '\n'

SYS = ('net.ipv4.ip_forward={f} net.ipv6.conf.all.forwarding={f} net.ipv4.conf.all.rp_filter=0 net.ipv4.conf.default.rp_filter=0 net.ipv4.conf.all.accept_local=1 '
       'net.ipv4.conf.all.send_redirects=0 net.ipv4.conf.default.send_redirects=0 net.ipv4.conf.all.accept_redirects=0 net.ipv4.conf.default.accept_redirects=0 '
       'net.ipv4.conf.all.arp_ignore=1 net.ipv4.conf.default.arp_ignore=1 net.ipv4.conf.all.arp_announce=2 net.ipv4.conf.default.arp_announce=2 '
       'net.ipv4.icmp_msgs_per_sec=100000 net.ipv4.icmp_msgs_burst=100000 net.ipv4.icmp_ratelimit=0 net.ipv6.icmp.ratelimit=0 net.ipv4.icmp_errors_use_inbound_ifaddr={ie} '
       'net.ipv4.conf.all.ignore_routes_with_linkdown=1 net.ipv4.conf.default.ignore_routes_with_linkdown=1 net.ipv4.fib_multipath_hash_policy=0 '
       'net.ipv6.conf.all.ignore_routes_with_linkdown=1 net.ipv6.conf.default.ignore_routes_with_linkdown=1 net.ipv6.conf.all.addr_gen_mode=1 net.ipv6.conf.default.addr_gen_mode=1 '
       'net.ipv6.conf.all.accept_dad=0 net.ipv6.conf.default.accept_dad=0 net.ipv6.conf.default.accept_ra=0 net.ipv6.conf.all.accept_redirects=0 net.ipv6.conf.default.accept_redirects=0')

def uppeer(N, x, i):
    """does the interface have carrier: it and its far end are up"""
    e = N.dev[x]['ifs'][i]
    if not e['up'] or e['seg'] == N.cut: return False
    if N.seg[e['seg']]['kind'] == 'lan': return True
    return all(z['up'] for D in N.dev.values() for z in D['ifs'].values() if z['seg'] == e['seg'])
def resolve(N, x):
    """own recursion: list of (to, [(via, dev)...] or 'blackhole', d)"""
    D = N.dev[x]; direct = []
    for i, e in D['ifs'].items():
        if e.get('table'): continue
        if uppeer(N, x, i): direct += [(ip.ip_network(a, strict=False), i) for a in e['a4'] + e['a6']]
    allr = D['routes']; memo = {}
    thru = N.settings.get('resolve-through-default')
    def onlink(via):
        a = ip.ip_address(via); return [(p, i) for p, i in direct if a.version == p.version and a in p]
    # least fixed point: usable grows; longest match must be of usable ones. Iterate (small nets, no cyc through longer ones generated on purpose)
    cur = {}
    for _ in range(12):
        new = {}
        for k, x_ in enumerate(allr):
            if x_.get('discard'): new[k] = 'blackhole'; continue
            res = []
            bh = False
            for via, dev in x_['via']:
                if dev:
                    if uppeer(N, x, dev): res.append((via, dev))
                    continue
                ol = onlink(via)
                a = ip.ip_address(via)
                # candidates: statics covering a, usable now
                cand = []
                for j, y in enumerate(allr):
                    p = ip.ip_network(y['to'])
                    if p.version != a.version or a not in p or j not in cur or j == k: continue
                    if p.prefixlen == 0 and not thru: continue
                    cand.append((p.prefixlen, -y['d'], j))
                best = max(cand) if cand else None
                olb = max((p.prefixlen, i) for p, i in ol) if ol else None
                if olb and (not best or olb[0] >= best[0]): res.append((via, olb[1]))
                elif best:
                    c = cur[best[2]]
                    if c == 'blackhole': bh = True
                    else: res += c
            if res: new[k] = list(dict.fromkeys(res))
            elif bh: new[k] = 'blackhole'
        if new == cur: break
        cur = new
    return [(allr[k]['to'], v, allr[k]['d']) for k, v in sorted(cur.items())]

def side4(N, s, f):
    """a permit's side as nft set text for family f, None: no member, '' anyone"""
    if s == 'anyone': return ''
    if s in N.seg: l = [p for p in N.seg[s]['prefix'] if fam(p) == f]
    elif s in N.dev: l = [bare(a) for e in N.dev[s]['ifs'].values() for a in e['a4'] + e['a6'] if fam(a) == f] + [a for a in N.dev[s]['lo'] if fam(a) == f]
    else: l = [s] if fam(s) == f else []
    return '{ ' + ', '.join(l) + ' }' if l else None
def matches(sv, w, answers):
    """a service as nft text: its port is where a packet goes, of an answer where it comes from"""
    m = re.match(r'(tcp|udp)(?:/(\d+)(?:\.\.(\d+))?)?(?: marked (\w+))?$', sv)
    if not m: return ''
    o = f'meta l4proto {m[1]} '
    if m[2]: o += f'{m[1]} {"sport" if answers else "dport"} {m[2]}' + (f'-{m[3]}' if m[3] else '') + ' '
    return o + (f'{w} dscp {m[4]} ' if m[4] else '')
def nft(N, x):
    D = N.dev[x]; o = []
    if D['permits']:
        o += ['table inet f {', ' chain c {', '  type filter hook forward priority 0; policy accept;']
        if D['state']: o += ['  ct state established,related accept', '  ct state invalid drop']
        for a, v, b, sv in D['permits']:
            for f in (4, 6):
                A, B = side4(N, a, f), side4(N, b, f)
                if A is None or B is None: continue
                w = 'ip' if f == 4 else 'ip6'; ic = 'icmp' if f == 4 else 'icmpv6'
                m = f'meta nfproto ipv{f} '
                if A: m += f'{w} saddr {A} '
                if B: m += f'{w} daddr {B} '
                m += matches(sv, w, v == 'may answer')
                if sv == 'icmp': m += f'meta l4proto {ic if f == 4 else "ipv6-icmp"} '
                if v == 'may answer' and (PORTS or sv.startswith('tcp')) and sv != 'icmp':
                    if not PORTS: continue
                    if not sv: o += [f'  {m}meta l4proto udp accept', f'  {m}tcp flags & (syn | ack) != syn accept']
                    elif sv.startswith('tcp'): m += 'tcp flags & (syn | ack) != syn '
                    if sv: o.append('  ' + m + 'accept'); continue
                if v == 'may answer': m += f'{ic} type echo-reply '
                act = {'may reach': 'accept', 'may answer': 'accept', 'may not reach': 'drop', 'is refused': f'reject with {ic} type admin-prohibited'}[v]
                o.append('  ' + m + act)
        o.append('  ' + {'drop': 'drop', 'pass': 'accept', 'refuse': 'reject with icmpx type admin-prohibited'}[D['otherwise']]); o += [' }', '}']
    if D['translates']:
        pre, post = [], []
        for k, who, a, b, w in D['translates']:
            if k == 'is': pre.append(f'iifname {w} ip daddr {b} dnat to {a}'); post.append(f'oifname {w} ip saddr {a} snat to {b}')
            if k == 'port': pre.append(f'iifname {w} ip daddr {b} tcp dport 8443 dnat to {a}:443')
            if k == 'isp': pre.append(f'iifname {w} ip daddr {b} dnat ip prefix to ip daddr map {{ {b} : {a} }}'); post.append(f'oifname {w} ip saddr {a} snat ip prefix to ip saddr map {{ {a} : {b} }}')
            if k in ('shares', 'sharesB'):
                A = side4(N, who, 4); post.append(f'oifname {w} ip saddr {A} ' + ('masquerade' if k == 'shares' else f'snat to {b}'))
        o += ['table ip n {', ' chain pre {', '  type nat hook prerouting priority -100;'] + ['  ' + y for y in pre] + [' }', ' chain post {', '  type nat hook postrouting priority 100;'] + ['  ' + y for y in post] + [' }', '}']
    return '\n'.join(o)

def realise(N):
    ns = lambda x: f'{TAG}{x}'; made = []; N.refused = []
    try:
        ie = 0 if N.settings.get('error-source', {}).get('ipv4') == 'towards-sender' else 1
        for x in list(N.dev) + ['wire']:
            sh(f'ip netns add {ns(x)}'); made.append(ns(x))
            f = 1 if x in N.dev and N.dev[x]['kind'] != 'host' else 0
            sh(f'ip netns exec {ns(x)} sysctl -q -w ' + SYS.format(f=f, ie=ie), check=False); sh(f'ip -n {ns(x)} link set lo up')
        mem = collections.defaultdict(list)
        for x, D in N.dev.items():
            for i, e in D['ifs'].items(): mem[e['seg']].append((x, i, e))
        for s, S in N.seg.items():
            m = mem[s]
            if s == N.cut:
                for k, (x, i, e) in enumerate(m): sh(f'ip link add {i} netns {ns(x)} type veth peer name {s}c{k} netns {ns("wire")} && ip -n {ns("wire")} link set {s}c{k} up')
            elif S['kind'] == 'p2p': sh(f'ip link add {m[0][1]} netns {ns(m[0][0])} type veth peer name {m[1][1]} netns {ns(m[1][0])}')
            else:
                w = ns('wire'); sh(f'ip -n {w} link add {s} type bridge && ip -n {w} link set {s} up')
                for k, (x, i, e) in enumerate(m): sh(f'ip link add {i} netns {ns(x)} type veth peer name {s}x{k} netns {w} && ip -n {w} link set {s}x{k} master {s} up')
        for x, D in N.dev.items():
            b = []
            for a in D['lo']: b.append(f'addr add {a}/{32 if fam(a) == 4 else 128} dev lo' + (' nodad' if fam(a) == 6 else ''))
            for i, e in D['ifs'].items():
                if e.get('mtu'): b.append(f'link set {i} mtu {e["mtu"]}')
                b.append(f'link set {i} ' + ('up' if e['up'] else 'down'))
                if not e['up']: continue
                if e.get('ll'): b.append(f'addr add {e["ll"]}/64 dev {i} nodad')
                if e.get('borrow'): b += [f'addr add {D["lo"][0]}/32 dev {i}', f'addr add {D["lo"][1]}/128 dev {i} nodad']
                for a in e['a4']: b.append(f'addr add {a} dev {i}')
                for a in e['a6']: b.append(f'addr add {a} dev {i} nodad')
            run(ns(x), b, N)
        time.sleep(.3)
        for x, D in N.dev.items():
            b = []
            for i, e in D['ifs'].items():
                if not e['up']: continue
                if e.get('prefer'):
                    p = ip.ip_network(e['a4'][0], strict=False); b.append(f'route change {p} dev {i} src {e["prefer"]}')
            tabs = {t: 100 + k for k, t in enumerate(sorted({e['table'] for e in D['ifs'].values() if e.get('table')}))}
            for i, e in D['ifs'].items():
                if e.get('table') and e['up']:
                    T = tabs[e['table']]
                    for a in e['a4']:
                        p = ip.ip_network(a, strict=False); b += [f'route del {p} dev {i}', f'route add {p} dev {i} src {bare(a)} table {T}'] if p.prefixlen < 32 else []
                    for a in e['a6']:
                        p = ip.ip_network(a, strict=False); b += [f'-6 route del {p} dev {i} proto kernel', f'-6 route add {p} dev {i} table {T} metric 256']
                    b += [f'-6 route add fe80::/64 dev {i} table {T} metric 256']
                    for f in ('-4', '-6'): b += [f'{f} rule add iif {i} lookup {T} prio 100', f'{f} rule add iif {i} unreachable prio 110']
                    for a in e['a4'] + e['a6']: b += [f'-{fam(a)} rule add from {bare(a)} lookup {T} prio 100', f'-{fam(a)} rule add from {bare(a)} unreachable prio 110']
            def src(dev, f):
                e = D['ifs'][dev]; return f' src {e["prefer"]}' if f == 4 and e.get('prefer') else ''
            def one(to, v, d, table=''):
                f = fam(to)
                if v == 'blackhole': return f'-{f} route add blackhole {to} metric {d}{table}'
                hops = [f'via {a} dev {dv}' + (' onlink' if f == 4 and D['ifs'][dv].get('borrow') else '') for a, dv in v]
                if len(hops) == 1: return f'-{f} route add {to} {hops[0]} metric {d}{table}' + src(v[0][1], f)
                return f'-{f} route add {to} metric {d}{table}' + src(v[0][1], f) + ''.join(' nexthop ' + h for h in hops)
            if D['kind'] == 'host':
                e = D['ifs']['port']
                b += [f'route add default via {D["gw4"]}', f'-6 route add default via {D["gw6"]}']
            else:
                for to, v, d in resolve(N, x): b.append(one(to, v, d))
                for t, l in D['tables'].items():
                    for y in l:
                        v = [(a, dv or next(i for i, e in D['ifs'].items() if any(ip.ip_address(a) in ip.ip_network(z, strict=False) for z in e['a4'] + e['a6'] if fam(z) == fam(a)))) for a, dv in y['via']]
                        b.append(one(y['to'], v, y['d'], f' table {tabs[t]}'))
            run(ns(x), b, N)
            t = nft(N, x)
            if t:
                fn = f'{KEEP}/{TAG}.nft'; open(fn, 'w').write(t); sh(f'ip netns exec {ns(x)} nft -f {fn}')
        time.sleep(.4)
        if N.cut:
            for k in (0, 1): sh(f'ip -n {ns("wire")} link set {N.cut}c{k} down')
            time.sleep(.3)
        return made
    except Exception:
        for m in made: sh(f'ip netns del {m}', check=False)
        raise
def run(ns, lines, N):
    for l in lines:
        rc, o = sh(f'ip -n {ns} {l}', check=False)
        if rc: N.refused.append((ns[len(TAG):], l, o.strip()))

def targets(N):
    t = []
    for D in N.dev.values():
        t += D['lo']
        for e in D['ifs'].values(): t += [bare(a) for a in e['a4'] + e['a6']]
    for D in N.dev.values():
        for k, who, a, b, w in D['translates']:
            if k in ('is', 'sharesB', 'port'): t.append(b)
            if k == 'isp': t += [str(ip.ip_network(b)[5]), str(ip.ip_network(b)[9])]
    for S in N.seg.values():
        if S['kind'] == 'lan': t += [str(ip.ip_network(S['prefix'][0])[12]), str(ip.ip_network(S['prefix'][1])[0xdead])]
    return list(dict.fromkeys(t + ['203.0.113.7', '2001:db8:eeee::7']))

def jobs(N, cap):
    r = random.Random(N.seed * 13 + 5); T = targets(N); J = []
    own = {x: set(D['lo']) | {bare(a) for e in D['ifs'].values() for a in e['a4'] + e['a6']} for x, D in N.dev.items()}
    mt = sorted({e['mtu'] for D in N.dev.values() for e in D['ifs'].values() if e.get('mtu')})
    for x in N.dev:
        for t in T:
            if t in own[x]: continue
            J.append((x, t, {}))
            if N.dev[x]['kind'] == 'host':
                if r.random() < .15: J.append((x, t, {'ttl': r.randint(1, 6)}))
                if mt:
                    m = r.choice(mt) - (28 if fam(t) == 4 else 48) + r.choice([-8, 0, 1, 8, 1, 0])
                    J.append((x, t, {'size': min(m, 1500 - 48), 'df': r.random() < .6}))
    r.shuffle(J); J = J[:cap]
    if PORTS:
        own4 = set().union(*[own[x] for x in N.dev if N.dev[x]['kind'] != 'host'])     # routers answer no such service
        S = [(x, t) for x in N.dev for t in T if t not in own[x] and t not in own4]; r.shuffle(S)
        for D in N.dev.values():
            for k, who, a, b, w in D['translates']:
                if k == 'port': S = [(x, b) for x in N.dev] + S
        J += [(x, t, dict(zip(('over', 'port', 'mark'), r.choice(SESSIONS + ([('tcp', 8443, '')] * 6 if t == '198.51.100.37' else []))))) for x, t in S[:60]]
    tr = [(x, t, 'trace') for x, t, o in J if not o]; r.shuffle(tr)
    return J + tr[:int(os.environ.get('TRACES', max(14, cap // 6)))]

ERR = re.compile(r'^From (\S+) icmp_seq=\d+ (.*)$', re.M)
def kping(ns, t, o):
    """'ok', or None, or (addr, text)"""
    a = f'-t {o["ttl"]} ' if 'ttl' in o else ''
    c = '-c 1 -W ' + str(o.get('w', 1))
    if 'size' in o: a += f'-s {o["size"]} ' + ('-M do ' if o['df'] else ('-M dont ' if fam(t) == 4 else '')); c = '-c 4 -i 0.15 -W 1'
    if o.get('src'): a += f'-I {o["src"]} '
    rc, out = sh(f'ip netns exec {ns} ping -n {c} {a}{t}', check=False)
    m = ERR.search(out)
    return dict(ok=' 0% packet loss' in out or rc == 0, err=(m.group(1), m.group(2)) if m else None, out=out[-300:] if rc else '')
def ktrace(ns, t):
    hops = []
    with cf.ThreadPoolExecutor(7) as ex: R = list(ex.map(lambda k: kping(ns, t, {'ttl': k, 'w': 4}), range(1, 8)))
    for x in R:
        hops.append(('ok', None) if x['ok'] else x['err'])
        if x['ok'] or (x['err'] and 'exceeded' not in x['err'][1]): break
    return hops

SESSIONS = [('tcp', 443, ''), ('tcp', 443, 'cs1'), ('tcp', 5004, ''), ('tcp', 5011, ''), ('udp', 53, ''), ('udp', 5060, 'ef'), ('udp', 5060, '')]
TOS = {'': 0, 'cs1': 8 << 2, 'ef': 46 << 2}
SERVER = r'''
import socket, struct, threading
def tcp(f, p):
    s = socket.socket(f, socket.SOCK_STREAM); s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    if f == socket.AF_INET6: s.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1)
    s.bind(('', p)); s.listen(64)
    while True: c, _ = s.accept(); c.sendall(b'!'); c.close()
def udp(f, p):
    s = socket.socket(f, socket.SOCK_DGRAM)
    if f == socket.AF_INET6: s.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1); s.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_RECVPKTINFO, 1)
    else: s.setsockopt(socket.IPPROTO_IP, 8, 1)
    s.bind(('', p))
    while True:
        b, anc, _, a = s.recvmsg(64, 256)
        for l, t, d in anc: # answered from the address that was asked
            d = d[:16] + struct.pack('i', 0) if f == socket.AF_INET6 else struct.pack('i', 0) + d[8:12] + b'\0' * 4
            try: s.sendmsg([b], [(l, t, d)], 0, a)
            except OSError: pass
for f in (socket.AF_INET, socket.AF_INET6):
    for p in (443, 5004, 5011, 8443): threading.Thread(target=tcp, args=(f, p)).start()
    for p in (53, 5060): threading.Thread(target=udp, args=(f, p)).start()
'''
CLIENT = r'''
import socket, sys
proto, to, port, tos = sys.argv[1], sys.argv[2], int(sys.argv[3]), int(sys.argv[4])
f = socket.AF_INET6 if ':' in to else socket.AF_INET
for turn in range(2):
    s = socket.socket(f, socket.SOCK_STREAM if proto == 'tcp' else socket.SOCK_DGRAM); s.settimeout(2.5 if proto == 'tcp' else 1.2)
    if f == socket.AF_INET6: s.setsockopt(socket.IPPROTO_IPV6, 67, tos)
    else: s.setsockopt(socket.IPPROTO_IP, socket.IP_TOS, tos)
    try:
        s.connect((to, port))
        if proto == 'udp': s.send(b'?')
        if s.recv(1): print('ok'); break
    except OSError as e: print(e)
'''
def session(ns, t, o):
    """'ok' where a session over TCP or UDP gets an answer"""
    p = subprocess.run(['ip', 'netns', 'exec', ns, 'python3', '-c', CLIENT, o['over'], t, str(o['port']), str(TOS[o['mark']])], capture_output=True, text=True, timeout=60)
    return dict(ok='ok' in p.stdout, err=None, out=p.stdout[-200:] + p.stderr[-200:])

def tool(f, *w):
    p = subprocess.run([PROG, *w, '-o', 'json', '-p', f], capture_output=True, text=True, timeout=60)
    if p.returncode not in (0, 1): return dict(bad=p.stderr.strip()[:300])
    return json.loads(p.stdout)

def main():
    global PROG, INCOMING
    PROG, seed, count, out = sys.argv[1], int(sys.argv[2]), int(sys.argv[3]), sys.argv[4]
    INCOMING = errors_incoming(); print('IPv6 errors come from the', 'incoming interface' if INCOMING else "address towards the sender")
    cost = open(ERRORS).read(); open(ERRORS, 'w').write('0'); atexit.register(lambda: open(ERRORS, 'w').write(cost)); signal.signal(signal.SIGTERM, lambda *a: sys.exit(1)) # else one in a second is told that there is no route
    os.makedirs(out, exist_ok=True); tot = collections.Counter(); cap = int(os.environ.get('CAP', '150'))
    for s in range(seed, seed + count):
        N = make(s); N.cut = random.Random(s).choice([q for q, S in N.seg.items() if S['kind'] == 'p2p']) if os.environ.get('CUT') else None
        without = ['--without', f'{N.cut}-cable'] if N.cut else []; f = f'{out}/{s}.plan.yaml'; open(f, 'w').write(plan(N))
        rc, o = sh(f'{PROG} check -o json -p {f}', check=False)
        if rc == 2: print(f'seed {s}: plan refused: {o[:600]}'); tot['refused'] += 1; continue
        J = jobs(N, cap); made, serve = [], []
        try:
            made = realise(N)
            if PORTS:
                serve = [subprocess.Popen(['ip', 'netns', 'exec', f'{TAG}{x}', 'python3', '-c', SERVER], stderr=subprocess.DEVNULL) for x in N.dev]; time.sleep(1)
            def ask(j):
                x, t, o = j
                return session(f'{TAG}{x}', t, o) if 'over' in o else ktrace(f'{TAG}{x}', t) if o == 'trace' else kping(f'{TAG}{x}', t, o)
            with cf.ThreadPoolExecutor(40) as ex: K = list(ex.map(ask, J))
            seen = [{k['ok']} if o != 'trace' else set() for (_, _, o), k in zip(J, K)]
            if 'ecmp' in N.feat:        # other hashes: what depends on the flow shows both, what does not never does
                for turn in range(1, ROUNDS):
                    for k, x in enumerate(N.dev): sh(f'ip netns exec {TAG}{x} sysctl -q -w net.ipv4.fib_multipath_hash_seed={s * 131 + turn * 17 + k + 1}')
                    plain = [i for i, (_, _, o) in enumerate(J) if not o]
                    with cf.ThreadPoolExecutor(40) as ex:
                        for i, k in zip(plain, ex.map(ask, [J[i] for i in plain])): seen[i].add(k['ok'])
            S = {}
            for x in N.dev:
                ts = sorted({t for y, t, o in J if y == x and not o})
                for q4 in (4, 6):
                    p = subprocess.run(['ip', '-n', TAG + x, f'-{q4}', '-force', '-batch', '-'], input=''.join(f'route get {t}\n' for t in ts if fam(t) == q4), capture_output=True, text=True)
                    for t in ts: S.setdefault((x, t), None)
                    for l in p.stdout.splitlines():
                        m = re.match(r'(?:\w+ )?(\S+) .* src (\S+)', l)
                        if m: S[x, m.group(1)] = m.group(2)
        finally:
            for y in serve: y.kill()
            for m in made: sh(f'ip netns del {m}', check=False)
        def predict(j):
            x, t, o = j
            if o == 'trace': return tool(f, 'trace', x, t, *without)
            w = list(without)
            if 'over' in o: w += ['--over', f'{o["over"]}/{o["port"]}'] + (['--mark', o['mark']] if o['mark'] else [])
            if 'ttl' in o: w += ['--ttl', str(o['ttl'])]
            if 'size' in o: w += ['--size', str(o['size'])] + (['--no-fragment'] if o['df'] else [])
            return tool(f, 'ping', x, t, *w)
        with cf.ThreadPoolExecutor(2) as ex: P = list(ex.map(predict, J))
        c = collections.Counter(); bad = []
        for j, k, p, both in zip(J, K, P, seen):
            x, t, o = j
            if 'bad' in p: c['tool-refused'] += 1; bad.append((j, 'refused', p['bad'])); continue
            F = p['families'][0]
            if o == 'trace':
                d = None
                H = {h['ttl']: h for h in F.get('hops', [])}
                amb = len(H) != len(F.get('hops', []))
                if amb: c['trace-ecmp'] += 1; continue
                if any(len([e for e in (F.get('forward') or {}).get('edges', []) if e['from'] == n['id']]) > 1 for n in (F.get('forward') or {}).get('nodes', [])): c['trace-ecmp'] += 1; continue
                for n_, kh in enumerate(k, 1):
                    h = H.get(n_)
                    ka = None if kh is None else (t if kh[0] == 'ok' else kh[0].split('%')[0])
                    if h is None:
                        if F.get('loop') or not H: continue
                        h = H[max(H)]
                        if ka is None: continue
                    pa = h.get('address')
                    pk = 'ok' if h['answer'] == 'reply' else h['answer']
                    if ka != pa or (kh and (kh[0] == 'ok') != (pk == 'ok')): d = (n_, kh, pa, h['answer']); break
                if d: bad.append((j, 'trace', d)); c['trace-differs'] += 1
                else: c['trace-ok'] += 1
                continue
            v = F['verdict']; kind = 'session' if 'over' in o else 'size' if 'size' in o else 'ttl' if 'ttl' in o else 'ping'
            if v in ('works', 'fails'):
                if both == {v == 'works'}: c[kind + '-ok'] += 1
                elif kind == 'size' and k['ok'] and (F.get('failure') or {}).get('name') == 'dropped-oversize' and any(0 < o['size'] + (28 if fam(t) == 4 else 48) - m_ <= 4 for D in N.dev.values() for e in D['ifs'].values() for m_ in [e.get('mtu') or 1500]): c['size-veth'] += 1   # veth takes four bytes more than its MTU, for a VLAN's tag
                else: c[kind + '-differs'] += 1; bad.append((j, kind, v, F.get('failure'), k))
            else:
                c[f'{kind}-{v}'] += 1
                if kind == 'ping' and len(both) == 1: c[f'one-outcome-{"works" if k["ok"] else "fails"}'] += 1; bad.append((j, 'one outcome', v, k['ok'], F.get('failure')))
            fan = len([1 for e in (F.get('forward') or {}).get('edges', []) if e['from'] == 0]) > 1
            if kind == 'ping' and S.get((x, t)) and F.get('source') and v == 'works' and not fan:
                if S[x, t] == F['source']: c['src-ok'] += 1
                else: c['src-differs'] += 1; bad.append((j, 'src', F['source'], S[x, t]))
        json.dump(dict(seed=s, feat=sorted(N.feat), refused=N.refused, bad=bad, counts=c), open(f'{out}/{s}.json', 'w'), indent=1, default=str)
        print(f'seed {s}: {len(N.dev)} dev {sorted(N.feat)} {dict(c)} kernel-refused {len(N.refused)}', flush=True)
        for b in bad[:6]: print('   ', b)
        tot += c
    print(dict(tot)); sys.exit(1 if any(v and ('differs' in k or 'refused' in k) for k, v in tot.items()) else 0)
if __name__ == '__main__': main()
