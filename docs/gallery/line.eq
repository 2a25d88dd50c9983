#: Lines: gaps at nan, dashes, widths, labels
chain = load("../../examples/lake/thermistors.csv")
figure("line") {
    title("Temperatures of Lake Velm")
    line(chain.depth, chain.june, label: "June")
    line(chain.depth, chain.august, label: "August", width: 2.5)
    line(chain.depth, chain.october, label: "October", dash: "dashed", marker: "disc")
    y_axis(`temperature $\theta$ (°C)`)
    legend("top right")
}
