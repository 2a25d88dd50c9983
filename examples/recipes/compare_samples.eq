#: # Compare two samples
#: Oxygen was measured near the bottom of the north and the south basin. Do the basins differ, by how much, and how sure is
#: that? A test answers the first question, intervals answer the others.
seed(4)
north = round(distribution("normal", mean: 7.9, std: 0.9).draw(18), digits: 2)
south = round(distribution("log_normal", log_mean: 1.86, log_std: 0.14).draw(16), digits: 2)

section "Look first"
#: A normality test decides little with few readings; a skewed sample still asks for a test by ranks.
print("north {mean(north):.2f} ± {std(north):.2f}, normality p = {normality_test(north).p:.2f}")
print("south {mean(south):.2f} ± {std(south):.2f}, normality p = {normality_test(south).p:.2f}")

section "Test"
#: Welch's test compares the means, the rank test whole samples. Both are reported with an interval of the difference.
welch = t_test(north, south)
welch
by_rank = rank_test(north, south)
print("ranks: p = {by_rank.p:.4f}, shift {by_rank.estimate:.2f} between {by_rank.interval[1]:.2f} and {by_rank.interval[2]:.2f}")

#: The difference of the medians has no formula; drawing again from both samples gives its interval.
both = (basin: join(repeat(["north"], length(north)), repeat(["south"], length(south))), oxygen: join(north, south))
fn gap(t) = median(t.oxygen[t.basin == "north"]) - median(t.oxygen[t.basin == "south"])
medians = bootstrap(gap, both, draws: 3000)
print("difference of medians {medians.value:.2f}, 95 % between {medians.interval[1]:.2f} and {medians.interval[2]:.2f}")

#: Two tests were made: adjust their p values.
adjusted = adjust_p([welch.p, by_rank.p])
print("adjusted p: {adjusted[1]:.4f} and {adjusted[2]:.4f}")
expect all(adjusted < 0.05)

figure("compare-samples", width: 130, height: 80) {
    x = 2.5..11 count 200
    line(x, kernel_density(north)(x), color: 1, label: "north basin")
    scatter(north, zeros(length(north)) - 0.015, color: 1)
    line(x, kernel_density(south)(x), color: 2, label: "south basin")
    scatter(south, zeros(length(south)) - 0.035, color: 2)
    x_axis("oxygen (mg/L)")
    y_axis("density")
    legend("top left")
}
