#: # Elementwise arithmetic
#: Readings of five nets at four depths, with a row of efforts, with numbers, and by loops.

haul = [3, 5, 2, 8 | 1, 0, 4, 6 | 7, 7, 1, 9 | 2, 3, 3, 12 | 0, 4, 2, 10]
effort = [1, 2, 1, 4]
rate = haul / effort

by_loops = zeros(5, 4)
for i in 1..5 {
    for j in 1..4 {
        by_loops[i, j] = haul[i, j] / effort[j]
    }
}
print("loops and arrays agree: {same(rate, by_loops)}")

#: Comparisons give booleans; their sum counts the true ones.
print("above the limit: {sum(haul > 5, over: 1)} a depth, {sum(haul > 5)} in all")
print("scaled: {[1, 2, 3] / 2}")
expect all(rate <= haul)
expect near(rate[4, 4], 3)

#: Several operations at once, without a loop.
x = -3..3 count 7
y = 2 * x^2 - 3 * x + 1
expect same(y, [(2 * t - 1) * (t - 1) for t in x])
remainder = (1..10) % 3
expect same(remainder, [1, 2, 0, 1, 2, 0, 1, 2, 0, 1])
