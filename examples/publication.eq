#: # A figure for a publication
#: The August profile of Lake Velm: measured temperatures, the curve through them and its steepest place. The figure
#: starts from the default look; colours, limits, ticks, notes and sizes are then set as a journal wants them.

chain = load("lake/thermistors.csv")
good = is_finite(chain.august)
z = chain.depth[good]
t = chain.august[good]
f = interpolant(z, t, method: "monotone")

#: The thermocline is where the temperature falls fastest.
fine = z[1]..z[last] count 600
steepness = f.derivative(fine)
place = fine[argmin(steepness)]
print("thermocline at {place:.2f} m, {min(steepness):.2f} °C per metre")

figure("publication", width: 120, height: 110, dpi: 300, formats: ["png", "svg", "pdf"]) {
    line(f(fine), fine, color: "#1b4f72", width: 2, label: "monotone curve")
    scatter(t, z, marker: "ring", size: 6, color: "#b9770e", label: "thermistors, August")
    guide(y: place, color: "#7b241c")
    note(`thermocline, $\partial\theta / \partial z$ smallest`, at: (f(place), place), offset: (24, -34), arrow: "curved", box: true)
    x_axis(`temperature $\theta$ (°C)`, limits: (3, 23), ticks: 4..22 by 3, size: 9)
    y_axis("depth $z$ (m)", reverse: true, limits: (0, 36), ticks: 0..36 by 6, minor: true, size: 9)
    frame("all")
    grid("none")
    legend("bottom right")
}

#: The same steepness around its zero line, with axes through it and numbers as multiples of the unit.
unit = abs(min(steepness))
figure("publication-steepness", width: 120, height: 80, dpi: 300) {
    area(fine, steepness / unit, color: "#1b4f72")
    line(fine, steepness / unit, color: "#1b4f72", width: 1.8)
    x_axis("depth $z$ (m)", at: 0, ticks: [9, 18, 27, 36], tick_labels: ["9", "18", "27", "36"], size: 10, label_box: true)
    y_axis(`steepness in units of $s_0$`, ticks: [-1, -0.5, 0], tick_labels: [`$-s_0$`, `$-s_0/2$`, "0"], limits: (-1.1, 0.2))
    frame("left")
}
