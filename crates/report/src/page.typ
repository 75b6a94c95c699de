#let r = json("report.json")
#let ink = rgb("#10263b")
#let soft = rgb("#52667a")
#let rule = rgb("#d9d3c3")
#set document(title: r.title, keywords: if r.keyword == none { () } else { (r.keyword,) })
#set page(
  paper: r.paper,
  margin: (x: 18mm, top: 16mm, bottom: 16mm),
  footer: context text(7.5pt, fill: soft)[
    #r.foot #h(1fr) #r.words.page #counter(page).display() #r.words.of #counter(page).final().first()
  ],
)
#set text(font: "Sofia Sans", size: 9pt, fill: ink, lang: r.words.code, hyphenate: true)
#set par(leading: 0.55em, spacing: 0.9em)
#show raw: set text(font: "JetBrains Mono", size: 6.6pt)
#show heading: set text(weight: "semibold")
#show heading.where(level: 1): it => block(above: 11pt, below: 5pt, text(9.5pt, it.body))
#show heading.where(level: 2): it => block(above: 9pt, below: 4pt, text(9pt, it.body))
#show heading.where(level: 3): it => block(above: 7pt, below: 4pt, text(9pt, fill: soft, it.body))
#show figure.caption: it => block(width: 100%, align(left, text(7.5pt, fill: soft)[
  #it.supplement #context it.counter.display(it.numbering). #it.body
]))
#set figure.caption(separator: none)
// Of blocks inside a figure, cells among them, nothing but the distance is set.
#show figure: set block(above: 5pt, below: 10pt)
#show figure: set align(left)
#show figure.where(kind: table): set block(breakable: true)

// Raised digits that no font has are digits that are raised.
#let raised = (
  "⁰": "0", "¹": "1", "²": "2", "³": "3", "⁴": "4", "⁵": "5",
  "⁶": "6", "⁷": "7", "⁸": "8", "⁹": "9", "⁻": "−",
)
#show regex("[⁰⁴-⁹⁻][⁰¹²³⁴-⁹⁻]*|[¹²³]+[⁰⁴-⁹⁻][⁰¹²³⁴-⁹⁻]*"): it => super(
  it.text.clusters().map(c => raised.at(c, default: c)).join(),
)

#let spans(all) = {
  for s in all {
    let t = text(s.text)
    if s.strong { t = text(weight: "semibold", t) }
    if s.slanted { t = text(style: "italic", t) }
    if s.place == "raised" { t = super(t) } else if s.place == "lowered" { t = sub(t) }
    t
  }
}

#let paragraphs(all) = {
  let at = 0
  while at < all.len() {
    let p = all.at(at)
    at += 1
    if p.kind == "heading" {
      heading(level: p.number + 1, spans(p.spans))
    } else if p.kind == "item" or p.kind == "numbered" {
      let items = (p,)
      while at < all.len() and all.at(at).kind == p.kind {
        items.push(all.at(at))
        at += 1
      }
      if p.kind == "item" { list(..items.map(i => spans(i.spans))) } else {
        enum(..items.map(i => enum.item(i.number, spans(i.spans))))
      }
    } else {
      par(spans(p.spans))
    }
  }
}

#let caption(all) = if all.len() == 0 { none } else { all.map(p => spans(p.spans)).join(linebreak()) }

#let drawn(f, file) = layout(size => box(width: size.width, height: size.width * f.aspect, {
  place(image(file, width: 100%, alt: f.alt))
  for l in f.labels {
    let words = text(7pt, fill: soft, top-edge: "cap-height", bottom-edge: "baseline", l.says)
    let width = measure(words).width
    let back = if l.anchor == "left" { 0 } else if l.anchor == "right" { 1 } else { 0.5 }
    place(dx: l.x * size.width - back * width, dy: l.y * size.width * f.aspect - 2.4pt, words)
  }
}))

// A share of what is allowed: the bar ends at one and a half of it.
#let bar(share) = box(width: 60pt, height: 5pt, fill: rgb("#efe8d4"), {
  if share != none { place(rect(width: 40pt * calc.max(0, calc.min(share, 1.5)), height: 5pt, fill: ink)) }
  place(dx: 40pt, line(angle: 90deg, length: 5pt, stroke: 1pt + rgb("#d08a1d")))
})

#let rows(t, all, loud) = table(
  columns: t.digits.map(d => if d { auto } else { 1fr }) + if t.shares.len() > 0 { (66pt,) } else { () },
  align: (x, y) => if t.digits.at(x, default: false) { right } else { left },
  inset: (x: 2.5pt, y: 2pt),
  stroke: (x, y) => if y == 0 { (bottom: 0.7pt + ink) } else { (bottom: 0.3pt + rule) },
  table.header(..t.heads.map(h => text(fill: soft, h)), ..if t.shares.len() > 0 { ([],) } else { () }),
  ..all.enumerate().map(((k, row)) => (if loud.at(k, default: false) {
    row.map(cell => text(weight: "semibold", fill: rgb("#a03000"), cell))
  } else { row }) + if t.shares.len() > 0 { (bar(t.shares.at(k, default: none)),) } else { () }).flatten(),
)

#let tabled(t) = {
  set text(7pt)
  if t.twin {
    let middle = calc.ceil(t.rows.len() / 2)
    grid(columns: (1fr, 1fr), column-gutter: 12pt, rows(t, t.rows.slice(0, middle), t.loud.slice(0, calc.min(middle, t.loud.len()))), rows(t, t.rows.slice(middle), t.loud.slice(calc.min(middle, t.loud.len()))))
  } else { rows(t, t.rows, t.loud) }
}

#let named(rows) = grid(
  columns: (auto, 1fr), column-gutter: 8pt, row-gutter: 3.5pt,
  ..rows.map(((place, says)) => (text(7.5pt, fill: rgb("#a01c6b"), place), text(7.5pt, says))).flatten(),
)

#let pictured(f, file) = {
  figure(drawn(f, file), kind: image, supplement: r.words.figure, caption: caption(f.caption), alt: f.alt)
  if f.notes.len() > 0 { named(f.notes) }
}

#for (i, p) in r.parts.enumerate() {
  if p.title != "" and p.what != "head" { heading(level: 1, p.title) }
  if p.what == "head" {
    if r.letterhead != none {
      grid(
        columns: (auto, 1fr), column-gutter: 10pt, align: horizon,
        if r.logo == none { none } else { box(height: 30pt, image(r.logo, height: 100%, alt: r.letterhead.lines.at(0, default: "Logo"))) },
        text(7.5pt, fill: soft, r.letterhead.lines.join(linebreak())),
      )
      v(4pt)
    }
    text(8pt, fill: rgb("#0b6b6b"), weight: "semibold", p.heading)
    v(-4pt)
    title(text(16pt, weight: "semibold", r.title))
    v(-4pt)
    text(8pt, fill: soft, p.subtitle)
    v(-2pt)
    line(length: 100%, stroke: 0.8pt + ink)
  } else if p.what == "text" {
    paragraphs(p.paragraphs)
  } else if p.what == "facts" {
    grid(
      columns: (1fr, 1fr), column-gutter: 14pt, row-gutter: 3.5pt,
      ..p.rows.map(((name, value)) => grid(columns: (34%, 1fr), text(fill: soft, name), value)),
    )
  } else if p.what == "figure" {
    pictured(p, "figure" + str(i) + "-0.svg")
  } else if p.what == "figures" {
    grid(
      columns: (1fr,) * calc.max(1, p.beside), column-gutter: 8pt,
      ..p.figures.enumerate().map(((k, f)) => pictured(f, "figure" + str(i) + "-" + str(k) + ".svg")),
    )
  } else if p.what == "table" {
    figure(tabled(p), kind: table, supplement: r.words.table, caption: caption(p.caption))
  } else if p.what == "listing" {
    for (name, body) in p.entries [
      #text(7.5pt, weight: "semibold", name) \
      #text(7.5pt, body) \
    ]
  } else if p.what == "signature" {
    v(26pt)
    grid(
      columns: (1fr,) * calc.min(p.names.len(), 3), column-gutter: 20pt, row-gutter: 36pt,
      ..p.names.map(n => { line(length: 100%, stroke: 0.5pt + ink); v(-6pt); text(7.5pt, fill: soft, n) }),
    )
  } else if p.what == "next_page" {
    pagebreak(weak: true)
  } else if p.what == "refused" {
    block(inset: (left: 8pt, y: 3pt), stroke: (left: 2pt + rgb("#b06a00")), text(fill: rgb("#8a5300"), p.says))
  }
}

#pdf.attach(r.attachment, relationship: "source", mime-type: "application/json", description: r.attachment_says)
