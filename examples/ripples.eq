#: # A function of two variables on a grid
#: A stone falls into Lake Velm; seen from above, the ripples are a sinc of the distance. The same table comes from
#: two loops into a matrix made before, and from one expression; the timings say what each costs.

given points = 121 "points along each side"

x = -6..6 count points
y = -4..4 count points

section "Two ways to fill a grid"

by_loops = zeros(points, points)
timed "two loops" {
    for i in 1..points {
        for k in 1..points {
            by_loops[i, k] = sinc(hypot(x[k], y[i]))
        }
    }
}

timed "one expression" {
    height = sinc(hypot(across(x), down(y)))
}

expect same(by_loops, height)
print("loops and expression agree: {same(by_loops, height)}")
print("highest {max(height):.3f}, lowest {min(height):.4f}")

#: Along the middle row the surface is at rest at every whole distance but the middle.
middle = height[(last + 1) / 2, ..]
print("at rest at {x[middle == 0]} m")

figure("ripples", width: 150, height: 90, formats: "png") {
    line(x, middle, label: "through the middle")
    line(x, height[1, ..], label: "at the edge", dash: "dashed")
    x_axis("distance (m)")
    y_axis("height (cm)")
    legend()
}
#: The surface, seen from two sides.
figure("ripples-surface", width: 190, height: 85, columns: 2) {
    panel(1, 1) {
        surface(x, y, height)
        x_axis("east (m)")
        y_axis("north (m)")
        z_axis("height (cm)")
    }
    panel(1, 2) {
        surface(x, y, height, mesh: true, palette: "moss")
        camera(turn: 60, tilt: 50)
        x_axis("east (m)")
        y_axis("north (m)")
        z_axis("height (cm)")
    }
}
save("ripples.csv", height)
