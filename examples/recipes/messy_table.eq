#: # Read a messy table
#: A table with semicolons, decimal commas, German dates, a code for missing values, an incomplete row and a text among the
#: numbers: options of `load` handle each of them, and the program reports what it had to leave out.

#: `missing: -999` marks missing oxygen values; `bad_rows: "nan"` makes fields that do not fit missing and counts them.
#: `dates` names their form. The decimal comma and the units in the header are recognized.
casts = load("data/casts.csv", missing: -999, bad_rows: "nan", dates: "%d.%m.%Y")
casts

#: Check what was read before using it.
expect length(casts.date) == 12
expect all(is_nan(casts.temperature) or casts.temperature > 0)

#: Means of each station, without the missing values.
fn summary(t) = (casts: length(t.date), temperature: mean(t.temperature, skip_nan: true), missing: sum(is_nan(t.temperature)) + sum(is_nan(t.oxygen)))
stations = group(summary, casts, by: "station")
stations

#: The clean table, which any later script reads without options.
save("casts.csv", casts)
