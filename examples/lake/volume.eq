#: # How much water, how much heat
#: The volume of Lake Velm from its soundings, and the warmth in it from a thermistor chain.

given cell = 20 "spacing of the grid (m)"

section "The bed from the soundings"
cast = load("soundings.csv")
cast

#: Every sounding counts with the fourth power of its nearness: two vectors broadcast into a grid.
east = 0..2400 by cell
north = 0..1600 by cell
weight = zeros(length(north), length(east))
depth = zeros(length(north), length(east))
for k in 1..length(cast.depth) {
    w = 1 / ((across(east) - cast.east[k])^2 + (down(north) - cast.north[k])^2 + 25)^2
    weight += w
    depth += w * cast.depth[k]
}
depth = depth / weight

#: Outside of the shore there is no lake.
inside = ((across(east) - 1180) / 1120)^2 + ((down(north) - 800) / 720)^2 <= 1
depth[not inside] = 0
depth[38..44, 55..60]

volume = integrate_samples(north, integrate_samples(east, depth, over: 2))
area = sum(inside) * cell^2
print("volume {volume / 1e6:.2f} million m³, area {area / 1e6:.2f} km², deepest {max(depth):.1f} m, mean {volume / area:.1f} m")
expect 10e6 < volume and volume < 60e6

section "Warmth in August"
chain = load("thermistors.csv")
chain

#: One thermistor failed; the condition leaves it out.
good = is_finite(chain.august)
z = chain.depth[good]
t = chain.august[good]
print("{sum(not good)} of {length(good)} thermistors failed, at {chain.depth[not good]} m")

level = 0.5..36 count 143
linear = interpolate(z, t, at: level)
spline = interpolate(z, t, at: level, method: "spline")
difference = spline - linear
print("the spline differs from straight lines by up to {max(abs(difference)):.2f} °C, at {level[argmax(abs(difference))]:.2f} m")

#: The area of the lake at each level, by counting the cells that are deeper.
at_level = [sum(depth > v) * cell^2 for v in level]
mean_spline = integrate_samples(level, spline * at_level) / integrate_samples(level, at_level)
mean_linear = integrate_samples(level, linear * at_level) / integrate_samples(level, at_level)
print("mean temperature {mean_spline:.3f} °C with the spline, {mean_linear:.3f} °C with straight lines")

#: How heavy the water is (kg/m³), from its temperature: a parabola around 4 °C. The heavier lies below.
fn density(t) = 1000 * (1 - 6.8e-6 * (t - 3.98)^2)
gain = density(spline)[2..] - density(spline)[..last-1]
expect all(gain > -0.02), "lighter water lies below heavier water"

figure("volume", width: 170, height: 150, rows: 2, link_x: "columns") {
    title("Lake Velm in August")
    panel(1, 1) {
        scatter(z, t, marker: "ring", size: 6, label: "thermistors")
        line(level, linear, dash: "dashed", width: 1.2, label: "straight lines")
        line(level, spline, color: 4, label: "spline")
        legend("top right")
        y_axis(`temperature $\theta$ (°C)`)
    }
    panel(2, 1) {
        line(level, density(spline) - 1000, color: 4, width: 1.8, label: `$\rho(\theta) - \rho_0$`)
        scatter(z, density(t) - 1000, marker: "ring", size: 6, color: 1, label: "at the thermistors")
        x_axis("depth $z$ (m)", limits: (0, 38))
        y_axis(`$\rho - \rho_0$ (kg/m³)`)
        legend("bottom right")
    }
}
save("august.csv", (depth: level, temperature: spline, area: at_level))
