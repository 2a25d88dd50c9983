#: Legends: where they cover least, beside the panel, or at the ends of lines
x = 0..10 count 100
figure("legends", width: 200, height: 70, columns: 3) {
    panel(1, 1) {
        line(x, sin(x), label: "best")
        line(x, cos(x), label: "place")
        legend("best")
    }
    panel(1, 2) {
        scatter(x[1..last by 8], sin(x[1..last by 8]), label: "points")
        band(x, sin(x) - 0.3, sin(x) + 0.3, label: "band")
        legend("outside right")
    }
    panel(1, 3) {
        for k in 1..4 { line(x, exp(-k * x / 10), label: "bay {k}") }
        legend("ends")
    }
}
