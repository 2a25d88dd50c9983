#: Markers, and the eight colours of the cycle
names = ["disc", "ring", "square", "diamond", "triangle", "cross", "plus"]
figure("markers", height: 80) {
    x = 0..6
    for k in 1..7 { scatter(x, 8 - k + 0.25 * sin(x + k), marker: names[k], size: 7, color: k, label: names[k]) }
    line(x, 0.25 * sin(x), color: 8, label: "none")
    legend("outside right")
    x_axis("", minor: true)
    frame("all")
}
