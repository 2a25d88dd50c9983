#: Bars: grouped, stacked and horizontal
months = ["May", "June", "July", "August"]
catch = [12, 30, 4 | 25, 41, 9 | 38, 36, 14 | 20, 18, 22]
figure("bars", width: 240, height: 80, columns: 3) {
    title("Plankton nets")
    panel(1, 1) {
        title("side by side")
        bars(months, catch, label: ["shallow", "middle", "deep"])
        y_axis("catch (1000 per m³)")
        legend("best")
    }
    panel(1, 2) {
        title("on each other")
        bars(months, catch, stacked: true)
    }
    panel(1, 3) {
        title("lying")
        bars(["Upper inflow", "Harbour", "North shore reeds", "Deep basin", "Outlet weir"], [41, 23, 60, 12, 35], lying: true)
    }
}
