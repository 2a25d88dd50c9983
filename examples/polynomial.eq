#: # A polynomial through all points
#: Five levels of the lake were read in years with large numbers. The years are shifted first, so that the powers
#: stay of ordinary size; the matrix of powers is built by loops, by a comprehension and by broadcasting.

year = [1994, 1998, 2003, 2009, 2014]
level = [712.4, 712.9, 711.8, 712.2, 713.1]

t = year - mean(year)
n = length(t)

powers = zeros(n, n)
for i in 1..n {
    for k in 1..n {
        powers[i, k] = t[i]^(k - 1)
    }
}
by_comprehension = [a^b for a down t, b across 0..n-1]
by_broadcasting = down(t)^across(0..n-1)
expect near(powers, by_comprehension) and near(powers, by_broadcasting)

coefficients = solve(powers, level)
print("residual below 1e-9: {norm(powers *+ coefficients - level) < 1e-9}")

fn value(x) = reduce(fn(sum, c) = sum * (x - mean(year)) + c, reverse(coefficients))
print("level in 2000: {value(2000):.3f} m")

years = 1994..2014 count 201
curve = each value(years)
expect near(each value(year), level)

figure("levels", width: 150, height: 90) {
    line(years, curve, label: "polynomial through all readings")
    scatter(year, level, label: "readings")
    x_axis("year")
    y_axis("level (m)")
    legend()
}
