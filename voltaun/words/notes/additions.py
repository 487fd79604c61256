"""Notes of Additions."""

NOTES = {
    # The worksheet
    "rule": "A rule, not a simulation: it knows the mean and no dark spells. Where they differ, trust the years.",
    "from_use": "What to add follows from what you use.",
    "look_again": "Some inputs need another look.",
    "sheet_add": "To live on {use} a day with {reserve} in reserve, add {more}.",
    "needs_most": "{month} needs the most.",
    "sheet_covers": "The rig you have covers {use} a day with {reserve} in reserve.",
    "no_source": "Nothing on this rig fills the bank. Add a source on Rig, or a panel to the price list.",
    "few_days": "Years of weather are run once three days are logged. [Run them now] all the same.",
    "no_use": "Type what you use a day below: the worksheet answers at once. Or [list what runs on Bench], or log a "
              "few days. Then years of weather are run through what you may add, buy or do instead.",
    "sheet_leaves": "Below your floor with that, in years of weather: {days}.",
    "no_array": "not known: the rig has none yet; give the peak-sun hours below",
    "controller": "for those panels at bank voltage, with a quarter to spare",
    "inverter": "for {watts} running at once, with a quarter to spare",
    "bank_sum": "use × {days} days ÷ {share} usable down to the everyday floor, in whole strings",
    "bank_sum_cold": "use × {days} days ÷ {share} usable down to the floor in the cold, in whole strings",
    "sun_given": "as you gave them",
    "sun_sum": "clear sky in {month} × the {share} that such a month leaves ÷ the array share",
    "grey": "Grey figures are taken from the log and the rig; write over any of them.",
    # Before buying
    "beside": "By what the labels say, with your loads, your use and your sun. What counts is what can be used: down "
              "to the everyday floor, through the inverter.",
    "no_surge": "No surge is set.",
    "each_alone": "First while it is on all the time, then as you usually use it.",
    # The price list
    "prices": "One thing a line: name, kind, size, price, kg, m² and what it is for. Kinds: panel, battery, charger, "
              "controller, generator, inverter, load. The size is W; of a battery Wh, of a load Wh a day. A "
              "generator’s W are those that reach the bank. The last names the load that it replaces, or what a "
              "charger serves. More columns need a first line that names all: name,kind,size and so on. They are "
              "litres_per_hour and fuel_price, idle_w and surge_w, years and cycles.",
    # The question
    "habits": "About how many days in ten are bright, mixed and dark? Your word counts as three weeks of log.",
    # The answer
    "lived_in": "Is it lived in all year? Say so in the question.",
    "years": "Over {run} years of weather.",
    "years_left": "Over {run} years of weather; the rest were left. [Run all {all}]",
    "years_running": "Over {run} years so far; {all} are being run.",
    "together": "All of it with {what}.",
    "short_day": "A day is short when the level drops below {floor} on it.",
    "axes": "Columns: panels added. Rows: {rows} added.",
    "axes_of": "Columns: {panel} added. Rows: {rows} added.",
    "not_in_field": "The answer above is not in this field: it takes something else.",
    "again_drawn": "Drawn are its worst weeks: the line as it was, dotted as it would have been.",
    "a_year": "A year: each price over the years that such a thing lasts, and a year’s fuel. A guess, unless your "
              "list says years or cycles.",
}
