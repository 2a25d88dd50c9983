m = [1, 2 | 3, 4]
m[1, ..] += [1, 2]
t = (1, "x")
figure("f") { line(m[.., 1]); legend("best"); title(`$\alpha^{2}$`) }
r = (a: 1)
print("{m:.1f} {r} {t}")
solve(m, [1, 2])
interpolate([1, 2], [3, 4], at: 1..2 by 0.5)
