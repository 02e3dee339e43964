#include "app/plan/plan_overview.h"

#include "app/model/words.h"
#include "app/window/share_text.h"
#include "app/window/theme.h"

#include <QCoreApplication>
#include <QLocale>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

QString tr(const char* s) { return QCoreApplication::translate("PlanOverview", s); }

QFont fontOf(double pixels, QFont::Weight weight = QFont::Normal) {
  QFont f(QStringLiteral("Inter"));
  f.setPixelSize(std::max(1, static_cast<int>(pixels + 0.5)));
  f.setWeight(weight);
  return f;
}

/// A lone card takes what Tidy leaves it, so that its title is read from farther away.
constexpr double kSides = 104;
constexpr double kLeastHeight = 96;

class Overviewer {
 public:
  Overviewer(const Plan& plan, const PlanLayout& layout, const EvalView* view) : m_layout(layout), m_view(view) {
    for (const Node& n : plan.nodes) m_nodes[n.uid] = &n;
  }

  PlanOverview build() {
    for (const PlanPaper& item : m_layout.paper)
      if (item.sort == PaperItem::Sort::Bed)
        out.blocks.push_back({item.uid, true, item.rect, item.text, {}, {}, {}, {}});
    const std::size_t beds = out.blocks.size();
    std::vector<const PlanCard*> loose;
    for (const PlanCard& c : m_layout.cards) {
      std::size_t at = beds;
      for (std::size_t b = 0; b < beds && at == beds; ++b)
        if (out.blocks[b].rect.contains(QPointF(c.rect.left() + kCardWidth / 2, c.rect.top() + 20))) at = b;
      if (at == beds)
        loose.push_back(&c);
      else
        add(c, at);
    }
    addChains(loose);
    m_inBlock.resize(out.blocks.size());
    for (const auto& [uid, at] : m_blockOf) m_inBlock[at].push_back(uid);
    findInnerLinks();
    for (std::size_t i = 0; i < out.blocks.size(); ++i) tell(i);
    addRibbons();
    return std::move(out);
  }

 private:
  const NodeReport* report(const std::string& uid) const {
    if (!m_view) return nullptr;
    const auto it = m_view->evaluation.reports.find(uid);
    return it == m_view->evaluation.reports.end() ? nullptr : &it->second;
  }
  std::optional<std::size_t> blockOf(const std::string& uid) const {
    const auto it = m_blockOf.find(uid);
    return it == m_blockOf.end() ? std::nullopt : std::optional(it->second);
  }

  void add(const PlanCard& c, std::size_t block) {
    out.blocks[block].cards.push_back(c.uid);
    m_blockOf[c.uid] = block;
    for (const std::string& inside : c.folded) m_blockOf[inside] = block;  // also its head
  }

  /// Cards that lie on no bed and stand in one column, each under the one that it takes from, are one block.
  void addChains(const std::vector<const PlanCard*>& loose) {
    std::map<std::string, const PlanCard*> above;
    for (const PlanRibbon& r : m_layout.ribbons) {
      const PlanCard* from = m_layout.card(r.link.node);
      const PlanCard* to = m_layout.card(r.to);
      if (from && to && std::abs(from->rect.left() - to->rect.left()) < 1 && from->rect.bottom() < to->rect.top() &&
          to->rect.top() - from->rect.bottom() < kLeastHeight)
        above[r.to] = from;
    }
    const std::size_t first = out.blocks.size();
    std::vector<const PlanCard*> ordered = loose;
    std::stable_sort(ordered.begin(), ordered.end(),
                     [](const PlanCard* a, const PlanCard* b) { return a->rect.top() < b->rect.top(); });
    for (const PlanCard* c : ordered) {
      const auto up = above.find(c->uid);
      const auto at = up == above.end() ? std::nullopt : blockOf(up->second->uid);
      if (at && *at >= first) {
        out.blocks[*at].rect |= c->rect;
        out.blocks[*at].title += QStringLiteral(", ") + c->title;
        add(*c, *at);
        continue;
      }
      out.blocks.push_back({c->uid, false, c->rect, c->title, {}, {}, {}, {}});
      add(*c, out.blocks.size() - 1);
    }
    for (std::size_t i = first; i < out.blocks.size(); ++i) {
      QRectF wide = out.blocks[i].rect.adjusted(-kSides, 0, kSides, 0);
      wide.setHeight(std::max(wide.height(), kLeastHeight));
      const auto isOther = [&](const PlanBlock& b) { return &b != &out.blocks[i] && b.rect.intersects(wide); };
      if (std::none_of(out.blocks.begin(), out.blocks.end(), isOther)) out.blocks[i].rect = wide;
    }
  }

  /// What was made or came in, and what is left at the ends of its chains.
  void tell(std::size_t block) {
    PlanBlock& b = out.blocks[block];
    double given = 0;
    double left = 0;
    std::size_t troubles = 0;
    bool hasPoints = false;
    bool isDraft = false;
    for (const std::string& uid : m_inBlock[block]) {
      const Node* n = m_nodes.at(uid);
      const NodeKind* kind = kindOf(*n);
      const NodeReport* r = report(uid);
      if (!kind || !r) continue;
      troubles += r->state == NodeState::Failed || (!r->problems.empty() && !n->isSkipped) ? 1 : 0;
      if (r->state != NodeState::Done || r->passed.empty() || kind->outputs.empty() ||
          kind->outputs.front().type != ValueType::Points)
        continue;
      if (kind->isLayer && !r->said.empty()) continue;  // of triangles or voxels
      hasPoints = true;
      isDraft = isDraft || r->isDraft;
      const InputSpec* main = kind->inputs.empty() ? nullptr : &kind->inputs.front();
      const auto takes = main && main->takes(ValueType::Points) ? n->inputs.find(main->id) : n->inputs.end();
      const bool isFed = takes != n->inputs.end() &&
                         std::any_of(takes->second.begin(), takes->second.end(),
                                     [&](const Link& l) { return blockOf(l.node) == std::optional(block); });
      if (!isFed) given += static_cast<double>(r->given > 0 ? r->given : r->passed.front());
      if (!m_feedsItsOwn.contains(uid + "/" + kind->outputs.front().id)) left += static_cast<double>(r->passed.front());
    }
    const auto count = [](double v) { return QLocale().toString(v, 'f', 0); };
    if (hasPoints) {
      b.count = count(left);
      // A draft's share of what came in tells nothing about the plan.
      b.yield = isDraft ? tr("%1 draft").arg(b.count)
                : b.isBed && given > left
                    ? QStringLiteral("%1 → %2 · %3").arg(count(given), b.count, shareText(left / given))
                    : b.count;
    } else if (b.isBed) {
      b.yield = b.cards.size() == 1 ? tr("1 card") : tr("%1 cards").arg(b.cards.size());
    }
    if (troubles > 0) b.trouble = tr("! %1 to look at").arg(troubles);
  }

  /// Points that a card of the same block takes at its main input and passes points on.
  void findInnerLinks() {
    for (const auto& [uid, at] : m_blockOf) {
      const Node* n = m_nodes.at(uid);
      const NodeKind* kind = kindOf(*n);
      if (!kind || kind->inputs.empty() || kind->outputs.empty() || kind->outputs.front().type != ValueType::Points)
        continue;
      if (const auto in = n->inputs.find(kind->inputs.front().id); in != n->inputs.end())
        for (const Link& l : in->second)
          if (blockOf(l.node) == std::optional(at)) m_feedsItsOwn.insert(l.node + "/" + l.output);
    }
  }

  void addRibbons() {
    struct Bundle {
      double width = 0;
      bool isHairline = true;
    };
    std::map<std::pair<std::size_t, std::size_t>, Bundle> bundles;
    for (const PlanRibbon& r : m_layout.ribbons) {
      const auto from = blockOf(r.link.node);
      const auto to = blockOf(r.to);
      if (!from || !to || from == to) continue;
      Bundle& b = bundles[{*from, *to}];
      b.width = std::min(120.0, b.width + (r.isHairline ? 0 : r.width));
      b.isHairline = b.isHairline && r.isHairline;
    }
    for (const auto& [ends, b] : bundles)
      out.ribbons.push_back(
          {between(out.blocks[ends.first].rect, out.blocks[ends.second].rect), b.width, b.isHairline});
  }

  /// From the foot of one to the head of the other where that is below, else from side to side.
  static QPainterPath between(const QRectF& from, const QRectF& to) {
    QPainterPath path;
    if (to.top() >= from.bottom()) {
      const QPointF a(from.center().x(), from.bottom());
      const QPointF b(to.center().x(), to.top());
      const QPointF bend(0, std::max(20.0, (b.y() - a.y()) * 0.5));
      path.moveTo(a);
      path.cubicTo(a + bend, b - bend, b);
      return path;
    }
    const bool isRight = to.center().x() >= from.center().x();
    const QPointF a(isRight ? from.right() : from.left(), from.center().y());
    const QPointF b(isRight ? to.left() : to.right(), to.center().y());
    const QPointF bend((isRight ? 1 : -1) * std::max(20.0, std::abs(b.x() - a.x()) * 0.5), 0);
    path.moveTo(a);
    path.cubicTo(a + bend, b - bend, b);
    return path;
  }

  const PlanLayout& m_layout;
  const EvalView* m_view;
  std::map<std::string, const Node*> m_nodes;
  std::map<std::string, std::size_t> m_blockOf;
  std::vector<std::vector<std::string>> m_inBlock;
  std::set<std::string> m_feedsItsOwn;
  PlanOverview out;
};

/// In two lines; each ends in an ellipsis when it must.
QStringList inTwoLines(const QString& title, const QFontMetricsF& metrics, double width) {
  const QStringList all = title.split(QLatin1Char(' '), Qt::SkipEmptyParts);
  QString first;
  qsizetype taken = 0;
  for (; taken < all.size(); ++taken) {
    const QString longer = first.isEmpty() ? all[taken] : first + QLatin1Char(' ') + all[taken];
    if (!first.isEmpty() && metrics.horizontalAdvance(longer) > width) break;
    first = longer;
  }
  return {first, all.mid(taken).join(QLatin1Char(' '))};
}

/// Words at their own size on screen, whatever the zoom.
void words(QPainter& p, const QRectF& rect, const QString& line, const QFont& font, const QColor& color) {
  p.setFont(font);
  p.setPen(color);
  p.drawText(rect, Qt::AlignLeft | Qt::AlignVCenter,
             QFontMetricsF(font).elidedText(line, Qt::ElideRight, rect.width()));
}

}  // namespace

const PlanBlock* PlanOverview::at(const QPointF& p) const {
  for (auto it = blocks.rbegin(); it != blocks.rend(); ++it)
    if (it->rect.contains(p)) return &*it;
  return nullptr;
}

PlanOverview overviewOf(const Plan& plan, const PlanLayout& layout, const EvalView* view) {
  return Overviewer(plan, layout, view).build();
}

void paintOverview(QPainter& p, const PlanOverview& overview, const OverviewPaintState& s) {
  const Theme& t = Theme::current();
  for (const PlanBlockRibbon& r : overview.ribbons) {
    QPen pen(t.ribbon, r.isHairline ? 1.2 / s.zoom : std::max(r.width, 2.5 / s.zoom));
    pen.setCapStyle(Qt::FlatCap);
    p.strokePath(r.path, pen);
  }
  const QTransform toScreen = p.transform();
  for (const PlanBlock& b : overview.blocks) {
    p.setTransform(QTransform());  // words and lines keep their size
    const QRectF r = toScreen.mapRect(b.rect).adjusted(0.5, 0.5, -0.5, -0.5);
    const auto isAny = [&](const auto& holds) { return std::any_of(b.cards.begin(), b.cards.end(), holds); };
    const bool isLit = s.paperItem == text(b.uid) ||
                       isAny([&](const std::string& uid) { return s.lit.contains(text(uid)); });
    const bool isAtWork = s.work && isAny([&](const std::string& uid) { return s.work->contains(uid); });
    p.setPen(QPen(isLit ? t.accent : b.trouble.isEmpty() ? t.rule : t.warning, isLit ? 2 : 1));
    p.setBrush(b.isBed ? t.bed : t.card);
    p.drawRoundedRect(r, 4, 4);
    if (isAtWork) p.fillRect(QRectF(r.left() + 2, r.bottom() - 3, r.width() - 4, 2), t.accent);
    const QRectF inner = r.adjusted(7, 3, -5, -3);
    if (inner.width() < 14 || inner.height() < 8) continue;
    // The title, in two lines where there is room; then the yield; what is left shows the picture.
    const double line = std::min(16.0, inner.height());
    const QFont bold = fontOf(std::min(12.0, line * 0.8), QFont::DemiBold);
    double y = inner.top();
    const bool isLong = QFontMetricsF(bold).horizontalAdvance(b.title) > inner.width();
    if (isLong && inner.height() > 3.5 * line) {
      for (const QString& part : inTwoLines(b.title, QFontMetricsF(bold), inner.width())) {
        words(p, QRectF(inner.left(), y, inner.width(), line), part, bold, t.ink);
        y += line;
      }
    } else {
      words(p, QRectF(inner.left(), y, inner.width(), line), b.title, bold, t.ink);
      y += line;
    }
    const QFont small = fontOf(11);
    const bool hasTrouble = !b.trouble.isEmpty();
    const bool isRoomy = QFontMetricsF(small).horizontalAdvance(b.yield) <= inner.width();
    for (const QString& told : {isRoomy || b.count.isEmpty() ? b.yield : b.count, b.trouble}) {
      if (told.isEmpty() || y + 15 > inner.bottom() + 2) continue;
      words(p, QRectF(inner.left(), y, inner.width(), 15), told, small,
            hasTrouble && told == b.trouble ? t.warning : t.quiet);
      y += 15;
    }
    if (!s.pictures || !b.isBed) continue;
    const auto picture = s.pictures->find(b.uid);
    const QRectF place(r.left() + 6, y + 4, r.width() - 12, r.bottom() - 7 - (y + 4));
    if (picture == s.pictures->end() || picture->second.picture.isNull() || place.height() < 18 || place.width() < 18)
      continue;
    // Its middle, in the shape of the place.
    const QImage& image = picture->second.picture;
    const double scale = std::min(image.width() / place.width(), image.height() / place.height());
    QRectF part(QPointF(), place.size() * scale);
    part.moveCenter(QRectF(image.rect()).center());
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(place, image, part);
  }
  p.setTransform(toScreen);
}

void PlanMap::place(const QRectF& bounds, const QRectF& inSight, const QSize& pane) {
  m_rect = {};
  m_bounds = bounds;
  m_inSight = inSight;
  constexpr double kMost = 116;
  const bool isAllThere = inSight.width() >= bounds.width() * 0.98 && inSight.height() >= bounds.height() * 0.6;
  if (bounds.isEmpty() || isAllThere || inSight.contains(bounds) || pane.width() < 320 || pane.height() < 280) return;
  const double scale = std::min(kMost / bounds.width(), kMost / bounds.height());
  const QSize size(std::max(24, static_cast<int>(bounds.width() * scale)),
                   std::max(24, static_cast<int>(bounds.height() * scale)));
  m_rect = QRect(QPoint(pane.width() - size.width() - 10, pane.height() - size.height() - 10), size);
}

QPointF PlanMap::toPlan(const QPoint& p) const {
  return {m_bounds.left() + (p.x() - m_rect.left()) * m_bounds.width() / m_rect.width(),
          m_bounds.top() + (p.y() - m_rect.top()) * m_bounds.height() / m_rect.height()};
}

void PlanMap::paint(QPainter& p, const PlanOverview& overview) const {
  if (!isShown()) return;
  const Theme& t = Theme::current();
  p.save();
  p.resetTransform();
  p.setPen(QPen(t.rule, 1));
  p.setBrush(t.paper);
  p.drawRoundedRect(QRectF(m_rect).adjusted(-4.5, -4.5, 4.5, 4.5), 4, 4);
  QTransform toMap;
  toMap.translate(m_rect.left(), m_rect.top());
  toMap.scale(m_rect.width() / m_bounds.width(), m_rect.height() / m_bounds.height());
  toMap.translate(-m_bounds.left(), -m_bounds.top());
  p.setClipRect(m_rect.adjusted(-3, -3, 3, 3));
  for (const PlanBlock& b : overview.blocks) {
    const QRectF r = toMap.mapRect(b.rect);
    p.fillRect(QRectF(r.topLeft(), QSizeF(std::max(2.0, r.width()), std::max(2.0, r.height()))),
               b.trouble.isEmpty() ? t.ribbon : t.warning);
  }
  p.setPen(QPen(t.accent, 1.5));
  p.setBrush(Qt::NoBrush);
  p.drawRect(toMap.mapRect(m_inSight.intersected(m_bounds.adjusted(-40, -40, 40, 40))));
  p.restore();
}

}  // namespace arvesk
