#let r = json("report.json")
#let ink = rgb("#10263b")
#let soft = rgb("#52667a")
#let rule = rgb("#d9d3c3")
#set document(title: r.title)
#set page(
  paper: "a4",
  margin: (x: 18mm, top: 16mm, bottom: 16mm),
  footer: context text(7.5pt, fill: soft)[#r.foot #h(1fr) #counter(page).display("1 of 1", both: true)],
)
#set text(font: "Sofia Sans", size: 9pt, fill: ink, lang: "en")
#set par(leading: 0.55em)
#show raw: set text(font: "JetBrains Mono", size: 6.6pt)
#let head(body) = block(above: 8pt, below: 4pt, text(9.5pt, weight: "semibold", body))

#text(8pt, fill: rgb("#0b6b6b"), weight: "semibold", r.heading)
#v(-4pt)
#text(16pt, weight: "semibold", r.title)
#v(-6pt)
#text(8pt, fill: soft, r.subtitle)
#v(-2pt)
#line(length: 100%, stroke: 0.8pt + ink)

#if r.findings != "" [
  #head[Findings]
  #for part in r.findings.split("\n") [#part #parbreak()]
]

#head[What was measured]
#grid(
  columns: (1fr, 1fr), column-gutter: 14pt, row-gutter: 3.5pt,
  ..r.facts.map(((name, value)) => grid(columns: (34%, 1fr), text(fill: soft, name), value)),
)

#for (i, f) in r.figures.enumerate() [
  #head(f.title)
  #layout(size => box(width: size.width, height: size.width * f.aspect, {
    place(image("figure" + str(i) + ".svg", width: 100%))
    for l in f.labels {
      let words = text(7pt, fill: soft, top-edge: "cap-height", bottom-edge: "baseline", l.says)
      let width = measure(words).width
      let back = if l.anchor == "left" { 0 } else if l.anchor == "right" { 1 } else { 0.5 }
      place(dx: l.x * size.width - back * width, dy: l.y * size.width * f.aspect - 2.4pt, words)
    }
  }))
  #v(-4pt)
  #text(7.5pt, fill: soft, f.caption)
]

#if r.notes.len() > 0 [
  #head[Notes on the curves]
  #grid(
    columns: (34%, 1fr), column-gutter: 8pt, row-gutter: 3.5pt,
    ..r.notes.map(((place, says)) => (text(fill: rgb("#a01c6b"), place), says)).flatten(),
  )
]

#head[Rig]
#set text(6.6pt)
#let half(rows) = table(
  columns: (auto, 1fr, auto, auto, auto),
  inset: (x: 2pt, y: 1.5pt),
  stroke: (x, y) => if y == 0 { (bottom: 0.7pt + ink) } else { (bottom: 0.3pt + rule) },
  ..r.rig_heads.map(h => text(fill: soft, h)),
  ..rows.flatten(),
)
#let middle = calc.ceil(r.rig_rows.len() / 2)
#grid(columns: (1fr, 1fr), column-gutter: 12pt, half(r.rig_rows.slice(0, middle)), half(r.rig_rows.slice(middle)))
#set text(9pt)

#head[How each number was made]
#for (name, body) in r.made [
  #text(7.5pt, weight: "semibold", name) \
  #raw(body) \
]
