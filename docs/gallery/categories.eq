#: Categories: several calls share one list of names; in the theme `print` areas have patterns
figure("categories", width: 200, height: 80, columns: 2, theme: "print") {
    panel(1, 1) {
        title("bars of two surveys")
        bars(["Inflow", "Harbour", "Deep basin"], [41, 23, 12], label: "2025")
        bars(["Harbour", "Outlet weir", "Inflow"], [30, 35, 38], label: "2026")
        y_axis("catch (kg)")
        legend("outside right")
    }
    panel(1, 2) {
        title("stacked by sign")
        bars(["May", "June", "July"], [12, 30 | 25, 41 | 38, -8], label: ["gain", "loss"], stacked: true)
        error_bars(["May", "June", "July"], [42, 66, 38], 6, label: "total")
        legend("outside right")
    }
}
