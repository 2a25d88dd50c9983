#: # Map scattered readings with their uncertainty
#: Temperatures at the surface of Lake Velm were read at 60 places, each with an error of 0.3 °C. A smooth field is drawn
#: through them; the bootstrap, which repeats the map with resampled readings, shows where the map can be trusted.
seed(5)
n = 60
east = 200 + 2000 * random(n)
north = 150 + 1300 * random(n)
fn truth(x, y) = 16 + 2.5 * exp(-((x - 600)^2 + (y - 500)^2) / 3e5) - 1.2 * (x - 1200) / 1200
reading = truth(east, north) + 0.3 * random_normal(n)

x = 200..2200 count 41
y = 150..1450 count 27
fn map_of(k) {
    f = radial_interpolant(east[k] / 1000, north[k] / 1000, reading[k], smoothing: 0.3)
    return f(across(x) / 1000, down(y) / 1000)
}
field = map_of(1..n)

#: Each of 60 repetitions leaves out a random third of the readings.
mean_field = zeros(length(y), length(x))
squares = zeros(length(y), length(x))
repetitions = 60
for r in 1..repetitions {
    one = map_of(sample(1..n, 40))
    mean_field += one / repetitions
    squares += one^2 / repetitions
}
#: A sample of 40 of 60 without replacement varies less than 60 new readings would: by the factor (n - d) / d, with d left out.
spread = sqrt(max(squares - mean_field^2, 0) * 40 / 20)
print("typical uncertainty {median(spread):.2f} °C, up to {max(spread):.2f} °C at the edge")

off = abs(field - truth(across(x), down(y)))
print("within two standard uncertainties of the truth: {100 * mean(off < 2 * spread):.0f} % of the map")
expect mean(off < 3 * spread) > 0.8

figure("uncertain-field", width: 180, height: 75, columns: 2, link_x: "all", link_y: "all") {
    panel(1, 1) {
        title("temperature")
        filled_contours(x, y, field, levels: 10)
        scatter(east, north, marker: "disc", size: 2.5, color: "black")
        color_bar("temperature (°C)")
        x_axis("east (m)")
        y_axis("north (m)")
    }
    panel(1, 2) {
        title("standard uncertainty")
        heatmap(x, y, spread, palette: "kiln")
        scatter(east, north, marker: "disc", size: 2.5, color: "black")
        color_bar("uncertainty (°C)")
        x_axis("east (m)")
    }
}
