#: Bars: side by side and on each other
months = ["May", "June", "July", "August"]
catch = [12, 30, 4 | 25, 41, 9 | 38, 36, 14 | 20, 18, 22]
figure("bars", width: 180, height: 80, columns: 2, link_y: "rows") {
    title("Plankton nets")
    panel(1, 1) {
        title("side by side")
        bars(months, catch, label: ["shallow", "middle", "deep"])
        y_axis("catch (1000 per m³)")
        legend("top left")
    }
    panel(1, 2) {
        title("on each other")
        bars(months, catch, stacked: true)
    }
}
