#: # Dye on the lake: carried, spread, and nothing lost
#: A patch of dye on a grid over Lake Velm is carried by a wind-driven gyre and spreads. What flows out of a cell flows
#: into its neighbour, so that the amount stays the same to rounding; a still lake tells whether the spreading is right.

given spreading = 1.5 "horizontal diffusivity (m²/s)"
given speed = 0.12 "greatest current of the gyre (m/s)"

east = 10..2390 by 20
north = 10..1590 by 20
side = 20

section "The current"

#: The gyre is the curl of a stream function, taken between the corners of the cells: no water piles up anywhere.
fn stream(x, y) = speed * 800 / pi * sin(pi * x / 2400) * sin(pi * y / 1600)^2
corner_east = 0..2400 by 20
corner_north = 0..1600 by 20
psi = stream(across(corner_east), down(corner_north))
u = -diff(psi, over: 1) / side          # through the western and eastern faces, 80×121
v = diff(psi, over: 2) / side           # through the southern and northern faces, 81×120
piled_up = diff(u, over: 2) + diff(v, over: 1)
expect max(abs(piled_up)) < 1e-15

section "A step"

#: The dye takes the concentration that it comes from, and spreads down the slope. Nothing passes the shores.
fn after_step(c, u, v, dt) {
    rows = shape(c)[1]
    columns = shape(c)[2]
    carried_x = max(u[.., 2..last-1], 0) * c[.., ..last-1] + min(u[.., 2..last-1], 0) * c[.., 2..]
    carried_y = max(v[2..last-1, ..], 0) * c[..last-1, ..] + min(v[2..last-1, ..], 0) * c[2.., ..]
    through_x = [zeros(rows, 1), carried_x - spreading * diff(c, over: 2) / side, zeros(rows, 1)]
    through_y = [zeros(1, columns) | carried_y - spreading * diff(c, over: 1) / side | zeros(1, columns)]
    return c - dt / side * (diff(through_x, over: 2) + diff(through_y, over: 1))
}
fn after(c, u, v, seconds) {
    dt = min(0.4 * side / (max(abs(u)) + 1e-9), 0.2 * side^2 / spreading)
    steps = ceil(seconds / dt)
    for k in 1..steps {
        c = after_step(c, u, v, seconds / steps)
    }
    return c
}
fn patch(x, y, width) = exp(-((x - 700)^2 + (y - 800)^2) / (2 * width^2))

section "On a still lake"

#: The variance of a patch grows by twice the diffusivity in every second.
fn variance_east(c) {
    share = sum(c, over: 1) / sum(c)
    middle = sum(share * east)
    return sum(share * (east - middle)^2)
}
start = patch(across(east), down(north), 80)
still = after(start, 0 * u, 0 * v, 3600)
growth = (variance_east(still) - variance_east(start)) / 3600
print("the variance grows by {growth:.4f} m²/s, which is to be {2 * spreading:.4f}")
expect near(growth, 2 * spreading, relative: 1e-4)

section "In the gyre"

amount = sum(start)
hours = [0, 2, 5, 10]
fields = [start]
c = start
for k in 2..length(hours) {
    c = after(c, u, v, 3600 * (hours[k] - hours[k - 1]))
    fields = join(fields, c, over: 1)
}
fields = reshape(fields, length(hours), length(north), length(east))
for k in 1..length(hours) {
    print("after {hours[k]:2d} h: peak {max(fields[k, .., ..]):.4f}, amount changed by {sum(fields[k, .., ..]) / amount - 1:.1e}")
}
expect near(sum(c), amount, relative: 1e-12)
expect min(c) >= 0

figure("dye-field", width: 200, height: 150, rows: 2, columns: 2, link_x: "all", link_y: "all") {
    title("Dye in the gyre of Lake Velm")
    for k in 1..4 {
        panel(ceil(k / 2), 1 + (k - 1) % 2) {
            title("after {hours[k]} h")
            heatmap(east / 1000, north / 1000, fields[k, .., ..], palette: "lagoon")
            contours(corner_east / 1000, corner_north / 1000, psi, levels: 6, color: "grey", width: 0.6)
            x_axis("east (km)")
            y_axis("north (km)")
            color_bar("share of the start")
        }
    }
}
