#: # Two crossing wakes, and 0/0 on their lines
#: The wakes of two boats cross on Lake Velm. Across a wake the height of the water is sin(πd)/(πd), with d the distance
#: from its line. On the line itself that says 0/0, though the water has a height there: the limit is 1, and `sinc` takes
#: it. The same table comes from two loops into a matrix made before, and from one expression; the timings say what each
#: costs.

given points = 121 "points along each side"

x = -6..6 count points
y = -4..4 count points

section "A gap that need not be there"

#: Both lines run through the middle of the grid, where the quotient has no value.
d = 0.8 * across(x) + 0.6 * down(y)
quotient = sin(pi * d) / (pi * d)
print("the quotient is nan at {sum(is_nan(quotient))} points, sinc(d) at {sum(is_nan(sinc(d)))}")
expect near(quotient[d != 0], sinc(d)[d != 0], absolute: 1e-15)

section "Two ways to fill a grid"

by_loops = zeros(points, points)
timed "two loops" {
    for i in 1..points {
        for k in 1..points {
            by_loops[i, k] = sinc(0.8 * x[k] + 0.6 * y[i]) + sinc(0.8 * x[k] - 0.6 * y[i])
        }
    }
}

timed "one expression" {
    height = sinc(0.8 * across(x) + 0.6 * down(y)) + sinc(0.8 * across(x) - 0.6 * down(y))
}

expect same(by_loops, height)
print("loops and expression agree: {same(by_loops, height)}")
print("highest {max(height):.3f}, lowest {min(height):.4f}")

#: Along the middle row both wakes are equally far away, and the water is at rest wherever they are a whole number away.
middle = height[(last + 1) / 2, ..]
print("at rest at {x[middle == 0]} m")

figure("wakes", width: 150, height: 90, formats: "png") {
    line(x, middle, label: "through the crossing")
    line(x, height[1, ..], label: "4 m south of it", dash: "dashed")
    x_axis("east (m)")
    y_axis("height (cm)")
    legend()
}
#: The surface, seen from two sides.
figure("wakes-surface", width: 190, height: 85, columns: 2) {
    panel(1, 1) {
        surface(x, y, height)
        camera(turn: 30, tilt: 45)
        x_axis("east (m)")
        y_axis("north (m)")
        z_axis("height (cm)")
    }
    panel(1, 2) {
        surface(x, y, height, mesh: true, palette: "moss")
        camera(turn: -60, tilt: 30)
        x_axis("east (m)")
        y_axis("north (m)")
        z_axis("height (cm)")
    }
}
save("wakes.csv", height)
