#: # Fields from grids and from scattered points
#: The surface temperature of Lake Velm, known here as a formula, so that what interpolation makes of it can be
#: compared with the truth: on a coarse grid of buoys, and from sixty readings at random places.

seed(18)
fn truth(x, y) = 14 + 2.2 * sin(1.9 * x) * cos(1.3 * y) + 1.5 * exp(-3 * ((x - 1.6)^2 + (y - 0.9)^2))

#: The coarse grid of 18 by 14, and the fine one of 120 by 90.
x = 0..2.4 count 18
y = 0..1.6 count 14
coarse = truth(across(x), down(y))
xf = 0..2.4 count 120
yf = 0..1.6 count 90
fine = truth(across(xf), down(yf))
print("from {shape(coarse)[2]}×{shape(coarse)[1]} to {shape(fine)[2]}×{shape(fine)[1]}")

worst_of = {"nearest": 0}
for method in ["nearest", "linear", "cubic"] {
    f = grid_interpolant(x, y, coarse, method: method)
    worst_of[method] = max(abs(f(across(xf), down(yf)) - fine))
    print("grid, {method}: largest error {worst_of[method]:.4f} °C")
}
expect worst_of["cubic"] < worst_of["linear"] / 5

#: Sixty boats read the temperature, with an error of a tenth of a degree.
xs = 2.4 * random(60)
ys = 1.6 * random(60)
exact = truth(xs, ys)
noisy = exact + 0.1 * random_normal(60)

fn off(f) = sqrt(mean((f(across(xf), down(yf)) - fine)^2))

for kernel in ["multiquadric", "thin_plate", "cubic"] {
    f = radial_interpolant(xs, ys, exact, kernel: kernel)
    print("60 exact readings, {kernel}: {off(f):.4f} °C off in the mean square")
}
through = radial_interpolant(xs, ys, noisy, kernel: "thin_plate")
calm = radial_interpolant(xs, ys, noisy, kernel: "thin_plate", smoothing: 0.3)
print("60 noisy readings: {off(through):.4f} °C off through all of them, {off(calm):.4f} °C smoothed;",
      "the smoothed field misses the readings by {std(calm.residual):.3f} °C")
expect off(calm) < off(through)
save("readings.csv", (x: xs, y: ys, exact: exact, noisy: noisy))

#: A cut through the fields.
cut = 0.9
figure("temperature-cut", width: 150, height: 90) {
    title("Surface temperature along $y = 0.9$ km")
    line(xf, truth(xf, cut), color: "#999999", width: 3, label: "truth")
    line(xf, grid_interpolant(x, y, coarse)(xf, cut), dash: "dashed", label: "grid of 18 by 14, linear")
    line(xf, calm(xf, cut), label: "60 noisy readings, smoothed")
    x_axis("$x$ (km)")
    y_axis("temperature (°C)")
    legend("bottom left")
}

#: The smoothed field with the boats that made it, the truth as lines of equal temperature, and the error.
field = calm(across(xf), down(yf))
figure("temperature-field", width: 200, height: 150, rows: 2, columns: 2, link_x: "columns", link_y: "rows") {
    title("Sixty noisy readings of the surface temperature")
    panel(1, 1) {
        title("smoothed field, and the boats")
        heatmap(xf, yf, field, limits: (11.5, 17))
        scatter(xs, ys, marker: "ring", size: 4, color: "black")
        color_bar("°C")
        y_axis("$y$ (km)")
    }
    panel(1, 2) {
        title("truth, with lines of equal temperature")
        heatmap(xf, yf, fine, limits: (11.5, 17))
        contours(xf, yf, fine, color: "black", width: 0.6)
        color_bar("°C")
    }
    panel(2, 1) {
        title("error")
        heatmap(xf, yf, field - fine, palette: "ridge", limits: (-0.5, 0.5))
        color_bar("°C")
        x_axis("$x$ (km)")
        y_axis("$y$ (km)")
    }
    panel(2, 2) {
        title("zones of one degree")
        filled_contours(xf, yf, fine, levels: 11..17)
        color_bar("°C")
        x_axis("$x$ (km)")
    }
}
figure("temperature-surface", width: 150, height: 100) {
    title("The truth as a surface")
    surface(xf, yf, fine)
    x_axis("$x$ (km)")
    y_axis("$y$ (km)")
    z_axis("temperature (°C)")
    color_bar("temperature (°C)")
    camera(turn: 30, tilt: 40)
}
