#: # Relaxing a grid
#: The steady temperature of a plate: every point moves towards the mean of its four neighbours, red points first,
#: then black ones, by whole slices, by loops over all points, and by a comprehension. All three give the same field.

given n = 100 "points along each side"
given sweeps = 10 "how often all points are relaxed"
given factor = 1.5 "relaxation factor"

fn start(n) {
    plate = zeros(n, n)
    plate[1, ..] = 1
    return plate
}

#: A point is red when row + column is even. Slices of step 2 take one color in every other row.
fn relax_color(V, w, color) {
    for first in 2..3 {
        other = if (first + color) % 2 == 0 then 2 else 3
        V[first..last-1 by 2, other..last-1 by 2] +=
            w * ((V[first-1..last-2 by 2, other..last-1 by 2] + V[first+1..last by 2, other..last-1 by 2] +
                V[first..last-1 by 2, other-1..last-2 by 2] + V[first..last-1 by 2, other+1..last by 2]) / 4
                - V[first..last-1 by 2, other..last-1 by 2])
    }
    return V
}

fn by_slices(V, w) {
    V = relax_color(V, w, 0)
    V = relax_color(V, w, 1)
    return V
}

fn by_loops(V, w) {
    n = length(V)
    for color in 0..1 {
        for i in 2..n-1 {
            first = 2 + (i + color) % 2
            for k in first..n-1 by 2 {
                mean = (V[i-1, k] + V[i+1, k] + V[i, k-1] + V[i, k+1]) / 4
                V[i, k] += w * (mean - V[i, k])
            }
        }
    }
    return V
}

fn by_comprehension(V, w) {
    n = length(V)
    for color in 0..1 {
        V = [if i == 1 or i == n or k == 1 or k == n or (i + k + color) % 2 == 1 then V[i, k]
             else V[i, k] + w * ((V[i-1, k] + V[i+1, k] + V[i, k-1] + V[i, k+1]) / 4 - V[i, k])
             for i down 1..n, k across 1..n]
    }
    return V
}

section "Three ways to relax"

a = start(n)
timed "slices" {
    for k in 1..sweeps { a = by_slices(a, factor) }
}
b = start(n)
timed "loops" {
    for k in 1..sweeps { b = by_loops(b, factor) }
}
c = start(n)
timed "comprehension" {
    for k in 1..sweeps { c = by_comprehension(c, factor) }
}

print("slices and loops agree: {max(abs(a - b)) < 1e-14}")
print("slices and comprehension agree: {max(abs(a - c)) < 1e-14}")
print("in the middle of the second row {a[2, (n + n % 2) / 2]:.6f}")
expect near(a, b, absolute: 1e-14) and near(a, c, absolute: 1e-14)
expect all(0 <= a and a <= 1.2)
save("plate.csv", a)
