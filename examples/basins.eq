#: # Matrices: products, systems and their residuals
#: Three basins exchange water; in the steady state what flows in flows out.

#: Exchange between the basins in m³/s: row i, column k is the flow from basin k to basin i.
flow = [0, 2, 0 | 3, 0, 1 | 0, 2, 0]
outflow = [0.5, 0, 1.5]

#: The balance of each basin as a matrix: what leaves on the diagonal, what arrives beside it.
leaving = sum(flow, over: 1) + outflow
balance = identity(3) * leaving - flow
dye = [10, 0, 0]

concentration = solve(balance, dye)
residual = norm(balance *+ concentration - dye)
print("concentration {concentration:.4f} g/m³")
print("residual below 1e-12: {residual < 1e-12}")
expect residual < 1e-12

#: What leaves the lake is what was put in.
print("out of the lake {outflow *+ concentration:.6f} g/s")
expect near(outflow *+ concentration, 10)

#: Matrix times vector, matrix times matrix, transpose.
twice = flow *+ flow
print("paths of two steps {twice}")
print("the transpose turns arrivals to departures: {same(flow', [0, 3, 0 | 2, 0, 2 | 0, 1, 0])}")
expect same((flow *+ twice)', twice' *+ flow')

#: Several right-hand sides at once.
sources = identity(3)
response = solve(balance, sources)
expect near(balance *+ response, identity(3), absolute: 1e-12)
print("response of basin 3 to a source in basin 1: {response[3, 1]:.4f}")
