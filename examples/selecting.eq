#: # Selecting
#: Elements, ranges, steps, rows, blocks and conditions, on the inflow of Lake Velm.

flow = load("lake/inflow.csv")
q = flow["inflow"]
day = flow["time"]

print("third {q[3]}, last {q[last]}")
print("the first three {q[..3]}, the last two {q[last-1..]}")
print("every tenth day: {day[1..last by 20]}")
backwards = q[last..1 by -1]
expect backwards[1] == q[last]

m = reshape(1..12, 3, 4)
print("row 2 is {m[2, ..]}, the block is {m[2..3, 2..3]}")
print("columns 4 and 1: {m[.., [4, 1]]}")

#: By one condition and by several; the sum of a condition counts.
flood = q > 5
print("{sum(flood)} half-days of flood")
second = q[day > 15 and q > 2.5]
print("{length(second)} half-days of the second rise, from {min(second):.2f} to {max(second):.2f} m³/s")

#: One value for a whole range, and for everything that satisfies a condition.
cleaned = q
cleaned[1..4] = 2.1
cleaned[cleaned < 2] = 2
expect all(cleaned >= 2)
expect sum(cleaned == 2.1) >= 4
expect q[3] != 2.1
print("positions of the highest: {positions(q == max(q))}")
