#include "app/plan/plan_painter.h"

#include "app/model/words.h"
#include "app/window/share_text.h"
#include "app/window/theme.h"

#include <QCoreApplication>

namespace arvesk {
namespace {

QFont fontOf(double pixels, QFont::Weight weight = QFont::Normal) {
  QFont f(QStringLiteral("Inter"));
  f.setPixelSize(std::max(1, static_cast<int>(pixels + 0.5)));
  f.setWeight(weight);
  return f;
}

class Painter {
 public:
  Painter(QPainter& painter, const PlanLayout& layout, const PlanPaintState& state)
      : p(painter), l(layout), s(state), t(Theme::current()) {}

  void all() {
    for (const PlanPaper& item : l.paper)
      if (isSeen(item.rect)) paper(item);
    for (const PlanRibbon& r : l.ribbons)
      if (isSeen(r.path.controlPointRect().adjusted(-r.width, -r.width, r.width, r.width))) ribbon(r);
    for (const PlanStub& stub : l.stubs)
      if (isSeen(stub.rect)) p.fillRect(stub.rect, stub.isLeftOut ? hatchBrush(t.quiet) : QBrush(t.ribbon));
    for (const PlanCard& c : l.cards)
      if (isSeen(c.rect)) card(c);
    for (const PlanTag& tagItem : l.tags)
      if (isSeen(tagItem.rect)) tag(tagItem);
    for (const PlanChip& c : l.chips)
      if (isSeen(c.rect)) chip(c);
    if (s.detail == PlanDetail::Card)
      for (const PlanSlot& slot : l.openings) freeSlot(slot);
  }

 private:
  /// With room for rims, badges and the edges of folded cards, which reach beyond their card.
  bool isSeen(const QRectF& rect) const { return s.seen.intersects(rect.adjusted(-20, -20, 20, 20)); }
  bool isSelected(const std::string& uid) const { return s.selected.contains(text(uid)); }

  const AtWork* workOf(const std::string& uid) const {
    if (!s.work) return nullptr;
    const auto it = s.work->find(uid);
    return it == s.work->end() ? nullptr : &it->second;
  }
  static QString wordsOf(const AtWork& at) {
    return at.doing.empty() ? QCoreApplication::translate("Plan", "working…") : said(at.doing);
  }
  /// Along the lower edge: how far it is, or dashes while that is not known.
  void workLine(const QRectF& rect, const AtWork& at) {
    const QRectF line(rect.left() + 2, rect.bottom() - 4, rect.width() - 4, 3);
    p.fillRect(line, t.rule);
    if (at.share > 0) {
      p.fillRect(QRectF(line.topLeft(), QSizeF(line.width() * static_cast<double>(at.share), line.height())), t.accent);
      return;
    }
    for (double x = line.left(); x < line.right(); x += 16)
      p.fillRect(QRectF(x, line.top(), std::min(8.0, line.right() - x), line.height()), t.accent);
  }

  void elided(const QRectF& rect, const QString& words, const QFont& font, const QColor& color,
              int align = Qt::AlignLeft) {
    p.setFont(font);
    p.setPen(color);
    p.drawText(rect, align | Qt::AlignVCenter, QFontMetricsF(font).elidedText(words, Qt::ElideRight, rect.width()));
  }

  void paper(const PlanPaper& item) {
    const bool isBed = item.sort == PaperItem::Sort::Bed;
    const bool isChosen = s.paperItem == text(item.uid);
    const QColor ground = isBed ? t.bed : t.note;
    p.setPen(QPen(isChosen ? t.accent : t.rule, isChosen ? 2 : 1, isBed ? Qt::SolidLine : Qt::DashLine));
    p.setBrush(ground);
    p.drawRoundedRect(item.rect.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    const double size = s.detail == PlanDetail::Card ? 12 : std::min(26.0, 12 / s.zoom);
    if (isBed) {
      elided(QRectF(item.rect.left() + 10, item.rect.top() + 3, item.rect.width() - 20, size * 1.5), item.text,
             fontOf(size, QFont::DemiBold), t.ink);
    } else {
      p.setFont(fontOf(12));
      p.setPen(t.ink);
      p.drawText(item.rect.adjusted(10, 8, -10, -6), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, item.text);
    }
    if (!isChosen) return;
    p.setPen(QPen(t.accent, 1.5));
    const QRectF grip = item.grip();
    for (const double d : {4.0, 8.0})
      p.drawLine(QPointF(grip.right() - 2 - d, grip.bottom() - 2), QPointF(grip.right() - 2, grip.bottom() - 2 - d));
  }

  void ribbon(const PlanRibbon& r) {
    const bool isChosen = s.selectedRibbon && s.selectedRibbon->link == r.link && s.selectedRibbon->to == r.to;
    QPen pen(isChosen ? t.accent : r.isHairline ? t.quiet : t.ribbon, r.isHairline ? 1.4 : r.width);
    pen.setCapStyle(Qt::FlatCap);
    p.setPen(pen);
    p.setBrush(Qt::NoBrush);
    p.drawPath(r.path);
  }

  void card(const PlanCard& c) {
    const bool isChosen = isSelected(c.uid) || s.lit == text(c.uid) || s.found.contains(text(c.uid)) ||
                          std::find(c.folded.begin(), c.folded.end(), s.lit.toStdString()) != c.folded.end();
    p.setPen(QPen(isChosen ? t.accent : c.isFailed ? t.trouble : t.rule, isChosen ? 2 : 1));
    const AtWork* at = workOf(c.uid);
    p.setBrush(c.isSkipped ? t.paper : t.card);
    if (!c.folded.empty())
      p.drawRoundedRect(c.rect.adjusted(4.5, 3.5, -4.5, 3.5), 4, 4);  // the edge of the cards beneath
    p.drawRoundedRect(c.rect.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    if (at) workLine(c.rect, *at);
    const QColor ink = c.isSkipped ? t.quiet : t.ink;
    const double size = s.detail == PlanDetail::Line ? std::min(20.0, 12.5 / s.zoom) : 12.5;
    if (s.detail == PlanDetail::Line) {
      elided(c.rect.adjusted(10, 0, -8, 0), c.title, fontOf(size, QFont::DemiBold), ink);
      return;
    }
    const QRectF r = c.rect;
    p.drawPixmap(QPointF(r.left() + 9, r.top() + (c.isSkipped ? 5 : 8)),
                 glyph(c.glyph, ink, 16, p.device()->devicePixelRatioF() * std::max(1.0, s.zoom)));
    if (c.isSkipped) {
      elided(QRectF(r.left() + 32, r.top(), r.width() - 40, r.height()),
             QCoreApplication::translate("Plan", "%1, skipped").arg(c.title), fontOf(12.5), t.quiet);
      return;
    }
    // What filters nothing tells its count beside its title.
    const double counted = c.countText.isEmpty() ? 0 : QFontMetricsF(fontOf(11)).horizontalAdvance(c.countText) + 8;
    elided(QRectF(r.left() + 32, r.top() + 5, r.width() - 40 - counted, 20), c.title, fontOf(12.5, QFont::DemiBold),
           ink);
    if (counted > 0)
      elided(QRectF(r.right() - 10 - counted, r.top() + 6, counted, 20), c.countText, fontOf(11), t.quiet,
             Qt::AlignRight);
    elided(QRectF(r.left() + 10, r.top() + 25, r.width() - 18, 18), at ? wordsOf(*at) : c.sentence, fontOf(11),
           at ? t.accent : t.quiet);
    double y = r.top() + 45;
    if (!c.problem.isEmpty()) {
      const QColor color = c.isFailed ? t.trouble : c.isWaiting ? t.quiet : t.warning;
      elided(QRectF(r.left() + 10, y - 2, r.width() - 18, 16), QStringLiteral("! %1").arg(c.problem), fontOf(11),
             color);
      y += 18;
    }
    if (c.hasYield) {
      const QRectF bar(r.left() + 10, y, r.width() - 20, 5);
      p.fillRect(QRectF(bar.left(), bar.top(), bar.width() * c.kept, bar.height()), t.ink);
      p.fillRect(QRectF(bar.left() + bar.width() * c.kept, bar.top(), bar.width() * (1 - c.kept), bar.height()),
                 hatchBrush(t.quiet));
      const QRectF line(r.left() + 10, y + 5, r.width() - 20, 15);
      elided(line.adjusted(0, 0, -40, 0), c.yieldText, fontOf(11), t.quiet);
      elided(line, shareText(c.kept), fontOf(11), t.quiet, Qt::AlignRight);
    }
    if (s.inSite == text(c.uid)) {
      const QRectF badge(r.right() - 62, r.bottom() - 1, 52, 16);
      p.setPen(Qt::NoPen);
      p.setBrush(t.ink);
      p.drawRoundedRect(badge, 3, 3);
      elided(badge, QCoreApplication::translate("Plan", "in Site"), fontOf(11, QFont::DemiBold), t.card,
             Qt::AlignHCenter);
    }
  }

  void tag(const PlanTag& tag) {
    const QRectF r = tag.rect;
    const bool isChosen = isSelected(tag.uid) || s.lit == text(tag.uid) || s.found.contains(text(tag.uid));
    p.setPen(QPen(isChosen ? t.accent : tag.isFailed ? t.trouble : t.rule, isChosen ? 2 : 1));
    p.setBrush(t.card);
    p.drawRect(r.adjusted(0.5, 0.5, -0.5, -0.5));  // square corners tell a tag from a card
    QRectF words = r.adjusted(30, 1, -4, -1);
    if (tag.isKit) {
      p.drawPixmap(QPointF(r.left() + 8, r.top() + 7),
                   glyph(QStringLiteral("kit"), t.ink, 16, p.device()->devicePixelRatioF() * std::max(1.0, s.zoom)));
    } else if (s.masks && s.masks->contains(tag.uid) && !s.masks->at(tag.uid).picture.isNull()) {
      p.drawImage(QRectF(r.left() + 4, r.top() + 4, 22, 22), s.masks->at(tag.uid).picture);
    } else {
      p.fillRect(QRectF(r.left() + 4, r.top() + 4, 22, 22), hatchBrush(t.hatch));
    }
    elided(QRectF(words.left(), words.top(), words.width(), 15), tag.title, fontOf(11, QFont::DemiBold), t.ink);
    const QString use = tag.uses > 1 ? QCoreApplication::translate("Plan", " · %1×").arg(tag.uses) : QString();
    const AtWork* at = workOf(tag.uid);
    if (at) workLine(r, *at);
    const auto picture = s.masks ? s.masks->find(tag.uid) : PlanPictures::const_iterator();
    const QString note = s.masks && picture != s.masks->end() ? picture->second.note : QString();
    const QString line = at                       ? wordsOf(*at)
                         : !tag.problem.isEmpty() ? QStringLiteral("! ") + tag.problem
                                                  : (note.isEmpty() ? tag.sentence : note) + use;
    const QColor color = at ? t.accent : tag.isFailed ? t.trouble : t.quiet;
    elided(QRectF(words.left(), words.top() + 13, words.width(), 14), line, fontOf(10), color);
  }

  void chip(const PlanChip& c) {
    p.setFont(fontOf(11));
    const double word = p.fontMetrics().horizontalAdvance(c.word) + 4;
    elided(QRectF(c.rect.left(), c.rect.top(), word, c.rect.height()), c.word, fontOf(11), t.quiet);
    const QRectF box(c.rect.left() + word, c.rect.top(), c.rect.width() - word, c.rect.height());
    p.setPen(QPen(s.lit == text(c.uid) ? t.accent : t.rule, 1));
    p.setBrush(t.card);
    p.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5));
    elided(box.adjusted(6, 0, -4, 0), c.title, fontOf(11), t.ink);
  }

  /// Empty slots of a selected card, as small words to click.
  void freeSlot(const PlanSlot& slot) {
    if (slot.isOutput) {
      p.setPen(QPen(t.quiet, 1));
      p.setBrush(t.card);
      if (isSelected(slot.uid) && s.selected.size() == 1) p.drawEllipse(slot.place, 4, 4);
      return;
    }
    if (!slot.isFree || !isSelected(slot.uid) || s.selected.size() != 1) return;
    p.setPen(QPen(t.accent, 1));
    p.setBrush(t.card);
    p.drawEllipse(slot.place, 4, 4);
  }

  QPainter& p;
  const PlanLayout& l;
  const PlanPaintState& s;
  const Theme& t;
};

}  // namespace

void paintPlan(QPainter& painter, const PlanLayout& layout, const PlanPaintState& state) {
  Painter(painter, layout, state).all();
}

}  // namespace arvesk
