#: # Your own functions on arrays, and cumulative results
#: `each` applies a function of single numbers to arrays; sums, products and general accumulation run along a vector.

#: Growth of plankton per day at a temperature (°C) and a fraction of light: none below 4 °C or in the dark.
fn growth(temperature, light) {
    if temperature < 4 or light <= 0 {
        return 0
    }
    return 0.05 * (temperature - 4) * light / (0.2 + light)
}

temperature = [2, 6, 10, 14, 18, 21]
light = [0, 0.1, 0.3, 1]

table = each growth(down(temperature), across(light))
show(table)
best, at = max(table), argmax(table)
print("fastest growth {best:.3f} per day")

by_loops = zeros(length(temperature), length(light))
for i in 1..length(temperature) {
    for k in 1..length(light) {
        by_loops[i, k] = growth(temperature[i], light[k])
    }
}
expect same(table, by_loops)

#: Two results at once: the gain and the loss of each day.
fn balance(count, rate) = (count * rate, count * 0.1)
gain, loss = each balance([100, 120, 90], [0.3, 0.2, 0.05])
print("gain {gain}, loss {loss}")

#: Cumulative sums and products.
inflow = [3, 1, 4, 1, 5]
print("running sum {cumsum(inflow)}, running product {cumprod(inflow)}")

#: General accumulation: a basin loses a tenth of its content in every step.
content = scan(fn(level, q) = 0.9 * level + q, inflow)
print("content {content:.3f}")
print("at the end {reduce(fn(level, q) = 0.9 * level + q, inflow):.4f}")

expect near(content[last], reduce(fn(level, q) = 0.9 * level + q, inflow))
expect same(scan(fn(a, b) = a + b, inflow), cumsum(inflow))
