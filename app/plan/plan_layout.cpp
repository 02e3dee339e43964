#include "app/plan/plan_layout.h"

#include "app/model/words.h"
#include "app/window/share_text.h"
#include "core/plan/dials.h"

#include <QCoreApplication>
#include <QLocale>
#include <QPainterPathStroker>

#include <algorithm>

namespace arvesk {
namespace {

QString tr(const char* s) { return QCoreApplication::translate("PlanLayout", s); }
QString count(std::size_t n) { return QLocale().toString(static_cast<qulonglong>(n)); }

/// What goes as a hairline at the left: ground and bodies, which points are placed on or in.
bool isGroundLike(ValueType type) { return type == ValueType::Surface || type == ValueType::Volume; }

/// Masks and kits stand as tags at the cards that use them.
bool isDockKind(const Plan& plan, const Node& node) {
  const NodeKind* kind = kindOf(node);
  if (!kind || kind->outputs.empty()) return false;
  const auto type = outputType(plan, {node.uid, kind->outputs.front().id, {}});
  return type == ValueType::Mask || type == ValueType::Kit;
}

class Builder {
 public:
  Builder(const Plan& plan, const EvalView* view, const std::map<std::string, QPointF>& moved,
          const std::set<std::string>& folded)
      : m_plan(plan), m_view(view), m_moved(moved), m_folded(folded) {
    for (const Node& n : plan.nodes) m_nodes[n.uid] = &n;
    for (const Node& n : plan.nodes)
      for (const auto& [id, links] : n.inputs)
        for (const Link& l : links) {
          ++m_uses[l.node];
          m_taken.insert(l.node + "/" + l.output);
        }
  }

  PlanLayout build() {
    for (const Node& n : m_plan.nodes)
      if (n.isFolded && !m_standsFor.contains(n.uid)) {
        std::vector<std::string> chain = chainFrom(m_plan, n.uid);
        if (chain.size() < 2) continue;
        for (const std::string& uid : chain) m_standsFor[uid] = n.uid;
        m_chains[n.uid] = std::move(chain);
      }
    for (const Node& n : m_plan.nodes)
      if ((!isDockKind(m_plan, n) || m_uses[n.uid] == 0) && !isInside(n.uid)) addCard(n);
    for (const PaperItem& item : m_plan.paper) addPaper(item);
    std::stable_sort(out.paper.begin(), out.paper.end(),
                     [](const PlanPaper& a, const PlanPaper& b) { return a.sort < b.sort; });
    for (std::size_t i = 0; i < out.cards.size(); ++i) m_cardOf[out.cards[i].uid] = i;
    for (const Node& n : m_plan.nodes)
      if (m_cardOf.contains(n.uid)) addConnections(n);
    for (const PlanCard& c : out.cards) out.bounds |= c.rect;
    for (const PlanTag& t : out.tags) out.bounds |= t.rect;
    for (const PlanChip& c : out.chips) out.bounds |= c.rect;
    for (const PlanPaper& item : out.paper) out.bounds |= item.rect;
    return std::move(out);
  }

 private:
  const NodeReport* report(const std::string& uid) const {
    if (!m_view) return nullptr;
    const auto it = m_view->evaluation.reports.find(uid);
    return it == m_view->evaluation.reports.end() ? nullptr : &it->second;
  }

  /// What follows a dial is shown as it is in what is shown.
  Quality quality() const { return m_view ? m_view->quality : Quality::Draft; }

  /// In a folded chain, but not its head.
  bool isInside(const std::string& uid) const {
    const auto it = m_standsFor.find(uid);
    return it != m_standsFor.end() && it->second != uid;
  }

  void addPaper(const PaperItem& item) {
    const auto it = m_moved.find(item.uid);
    const QPointF at = it == m_moved.end() ? QPointF(item.x, item.y) : it->second;
    out.paper.push_back({item.uid, item.sort, QRectF(at, QSizeF(item.width, item.height)), text(item.text)});
  }

  /// One line for a whole chain: what its head was given and its tail passed on.
  void fold(PlanCard& c, const std::vector<std::string>& chain) {
    const NodeReport* head = report(chain.front());
    const NodeReport* tail = report(chain.back());
    const Node* last = m_nodes[chain.back()];
    c.folded = chain;
    c.glyph = QStringLiteral("chain");
    c.title = tr("%1 … %2").arg(text(m_nodes[chain.front()]->title), text(last->title));
    c.sentence = tr("%1 nodes").arg(chain.size());
    if (head && tail && !tail->passed.empty()) {
      const std::size_t given = head->given > 0 ? head->given : head->passed.empty() ? 0 : head->passed.front();
      c.kept = given > 0 ? std::min(1.0, static_cast<double>(tail->passed.front()) / static_cast<double>(given)) : 0;
      c.sentence += QStringLiteral(" · %1 → %2 · %3").arg(count(given), count(tail->passed.front()), shareText(c.kept));
    }
    for (const std::string& uid : chain)
      if (const NodeReport* r = report(uid); r && (r->state == NodeState::Failed || r->state == NodeState::Waiting) &&
                                             !r->problems.empty() && c.problem.isEmpty()) {
        c.isFailed = r->state == NodeState::Failed;
        c.isWaiting = !c.isFailed;
        c.problem = QStringLiteral("%1: %2").arg(text(m_nodes[uid]->title), said(r->problems.front().message));
      }
  }

  /// Why a mask or kit gives nothing, or not all that it should: the cause is marked where it is.
  QString tagProblem(const Node& n) const {
    if (!m_view) return {};
    const NodeReport* r = report(n.uid);
    if (r && (r->state == NodeState::Failed || r->state == NodeState::Waiting) && !r->problems.empty())
      return said(r->problems.front().message);
    if (const KitPtr kit = m_view->evaluation.firstOf<KitPtr>(n.uid))
      for (const KitEntry& entry : kit->entries)
        if (entry.prop->isMissing) return tr("no %1").arg(text(entry.prop->name));
    return {};
  }

  void addCard(const Node& n) {
    const NodeKind* kind = kindOf(n);
    PlanCard c;
    c.uid = n.uid;
    c.title = text(n.title);
    c.sentence = said(sentenceOf(m_plan, n, quality())).replace(QStringLiteral(" -"), QStringLiteral(" \u2212"));
    c.glyph = kind ? text(kind->glyph) : QStringLiteral("unknown");
    c.isSkipped = n.isSkipped;
    double height = 48;
    if (const NodeReport* r = report(n.uid)) {
      c.isFailed = r->state == NodeState::Failed;
      c.isWaiting = r->state == NodeState::Waiting;
      if (!r->problems.empty() && !c.isSkipped) {
        c.problem = said(r->problems.front().message);
        if (r->problems.size() > 1) c.problem = tr("1 of %1 · %2").arg(r->problems.size()).arg(c.problem);
        height += 18;
      }
      const bool counts = kind && !kind->outputs.empty() && kind->outputs.front().type == ValueType::Points &&
                          r->state == NodeState::Done;
      // Where nothing comes in that could be, there is no share to be told of.
      const bool isFed = kind && !kind->inputs.empty() && !(kind->inputs.front().isOptional && r->given == 0);
      const bool filters = counts && isFed &&
                           (kind->family == Family::Thin || kind->family == Family::Scatter ||
                            (n.isInstance() && kind->inputs.front().type == ValueType::Points) ||
                            (!n.isInstance() && kind->outputs.size() > 1 && r->passed.size() > 1 && r->passed[1] > 0));
      if (filters && !c.isSkipped) {
        c.hasYield = true;
        c.kept = r->given > 0 ? std::min(1.0, static_cast<double>(r->passed.front()) / static_cast<double>(r->given))
                              : 0;
        c.yieldText = r->given == r->passed.front()
                          ? count(r->given)
                          : QStringLiteral("%1 → %2").arg(count(r->given), count(r->passed.front()));
        if (r->isDraft) c.yieldText += QLatin1Char(' ') + tr("draft");
        height += 22;  // below the counts there is room for the outputs' dots
      } else if (counts && !c.isSkipped && kind->family == Family::Deliver && r->said.empty()) {
        c.sentence += QStringLiteral(" · %1").arg(count(r->passed.front()));
        if (r->isDraft) c.sentence += QLatin1Char(' ') + tr("draft");
      } else if (counts && kind->inputs.empty() && !c.isSkipped) {  // nothing came in that a share could be told of
        c.sentence += QStringLiteral(" · %1").arg(count(r->passed.front()));
        if (r->isDraft) c.sentence += QLatin1Char(' ') + tr("draft");
      } else if (counts && !c.isSkipped && kind->family != Family::Deliver) {
        c.countText = count(r->passed.front());
      } else if (kind && kind->showsTriangles && r->state == NodeState::Done && !r->passed.empty()) {
        c.sentence += QStringLiteral(" · %1 %2").arg(count(r->passed.front()), tr("triangles"));
      }
      if (!r->said.empty() && !c.isSkipped) c.sentence += QStringLiteral(" · ") + said(r->said);
    }
    if (c.isSkipped) height = 26;
    if (const auto chain = m_chains.find(n.uid); chain != m_chains.end()) {
      c.hasYield = c.isFailed = c.isWaiting = c.isSkipped = false;
      c.countText.clear();
      c.problem.clear();
      fold(c, chain->second);
      height = c.problem.isEmpty() ? 46 : 64;
    }
    const auto it = m_moved.find(n.uid);
    const QPointF at = it == m_moved.end() ? QPointF(n.x, n.y) : it->second;
    c.rect = QRectF(at, QSizeF(kCardWidth, height));
    out.cards.push_back(c);
  }

  /// What 40 px of ribbon stand for: the points that the head of the chain made. (Its candidates would make every
  /// ribbon of a chain with a narrow "where" a hairline; how many of those stayed is told by the head's own bar.)
  double sourceOf(const std::string& uid, int depth = 0) const {
    if (const auto known = m_sources.find(uid); known != m_sources.end()) return known->second;
    return m_sources[uid] = sourceNow(uid, depth);
  }

  double sourceNow(const std::string& uid, int depth) const {
    const auto it = m_nodes.find(uid);
    if (it == m_nodes.end() || depth > 400) return 0;
    const NodeKind* kind = kindOf(*it->second);
    const NodeReport* r = report(uid);
    if (!kind || !r) return 0;
    if (!kind->inputs.empty() && kind->inputs.front().type == ValueType::Points) {
      double sum = 0;
      if (const auto links = it->second->inputs.find(kind->inputs.front().id); links != it->second->inputs.end())
        for (const Link& l : links->second) sum += sourceOf(l.node, depth + 1);
      if (sum > 0 || !kind->inputs.front().isOptional) return sum;
    }
    return static_cast<double>(r->passed.empty() ? 0 : r->passed.front());
  }

  double ribbonWidth(const Link& link) const {
    const NodeReport* r = report(link.node);
    const auto it = m_nodes.find(link.node);
    const NodeKind* kind = it == m_nodes.end() ? nullptr : kindOf(*it->second);
    const int output = kind ? kind->outputIndex(link.output) : -1;
    if (!r || output < 0 || static_cast<std::size_t>(output) >= r->passed.size()) return 2;
    const double source = sourceOf(link.node);
    return source > 0
               ? std::clamp(40.0 * static_cast<double>(r->passed[static_cast<std::size_t>(output)]) / source, 2.0, 40.0)
               : 2;
  }

  /// Left of x, or right of it: what a tag is made of stands on its side.
  void addTag(const std::string& uid, const std::string& owner, const std::string& input, double x, double& y,
              int depth, bool isRight) {
    const auto it = m_nodes.find(uid);
    if (it == m_nodes.end() || depth > 6) return;
    const Node& n = *it->second;
    const NodeKind* kind = kindOf(n);
    PlanTag t;
    t.uid = uid;
    t.card = m_card;
    t.owner = owner;
    t.input = input;
    t.depth = depth;
    t.isKit = isRight && outputType(m_plan, {uid,
                                             kind && !kind->outputs.empty() ? kind->outputs.front().id : std::string(),
                                             {}}) == ValueType::Kit;
    t.uses = m_uses[uid];
    t.title = text(n.title);
    t.sentence = said(kind ? kind->sentence(paramsNow(m_plan, n, quality())) : n.kind);
    t.problem = tagProblem(n);
    const NodeReport* said = report(uid);
    t.isFailed = !t.problem.isEmpty() && (!said || said->state != NodeState::Waiting);
    // Its parts: the masks it is made of, and the points and surfaces it refers to.
    const auto referred = [&](ValueType type) {
      std::vector<std::pair<const InputSpec*, Link>> found;
      if (kind)
        for (const InputSpec& in : kind->inputs)
          if (const auto links = n.inputs.find(in.id); links != n.inputs.end())
            for (const Link& l : links->second)
              if (!l.isEmpty() && outputType(m_plan, l).value_or(in.type) == type) found.push_back({&in, l});
      return found;
    };
    const auto masks = referred(ValueType::Mask);
    const auto kits = referred(ValueType::Kit);
    const auto points = referred(ValueType::Points);
    const auto surfaces = referred(ValueType::Surface);
    const auto volumes = referred(ValueType::Volume);
    t.hasParts = !masks.empty() || !kits.empty() || !points.empty() || !surfaces.empty() || !volumes.empty();
    t.isUnfolded = t.hasParts && !m_folded.contains(owner + "/" + uid);
    const double indent = 12.0 * depth;
    t.rect = QRectF(isRight ? x : x - kTagWidth + indent, y, kTagWidth - indent, kTagHeight);
    out.tags.push_back(t);
    y += kTagHeight + 1;
    if (!t.isUnfolded) return;
    for (const auto* list : {&masks, &kits})
      for (const auto& [in, l] : *list) addTag(l.node, uid, in->id, x, y, depth + 1, isRight);
    for (const auto* list : {&points, &surfaces, &volumes})
      for (const auto& [in, l] : *list) {
        PlanChip chip;
        chip.card = m_card;
        chip.owner = uid;
        chip.word = in->type == ValueType::Surface  ? tr("on")
                    : in->type == ValueType::Volume ? tr("in")
                                                    : arvesk::said(in->label).toLower();
        chip.uid = l.node;
        if (const auto source = m_nodes.find(l.node); source != m_nodes.end()) chip.title = text(source->second->title);
        chip.rect = QRectF(isRight ? x : x - kTagWidth + indent + 12, y, kTagWidth - indent - 12, 18);
        out.chips.push_back(chip);
        y += 20;
      }
  }

  void addChip(double x, double& y, const QString& word, const std::string& uid, const std::string& owner) {
    const auto it = m_nodes.find(uid);
    if (it == m_nodes.end()) return;
    PlanChip chip;
    chip.card = m_card;
    chip.owner = owner;
    chip.word = word;
    chip.title = text(it->second->title);
    chip.uid = uid;
    chip.rect = QRectF(x, y, 96, 20);
    out.chips.push_back(chip);
    y += 23;
  }

  /// Where an output leaves its card: the first in the middle, a second one at the left; several share the foot.
  static double outputX(const QRectF& rect, const NodeKind& kind, std::size_t output, std::size_t used) {
    if (used <= 2)
      return output > 0                                ? rect.left() + 31
             : isGroundLike(kind.outputs.front().type) ? rect.left() + 14
                                                       : rect.center().x();
    return rect.left() + 18 + (rect.width() - 36) * static_cast<double>(output) / static_cast<double>(used - 1);
  }

  /// The card that stands for a node: its own, or the one of the folded chain that it is in.
  std::optional<std::size_t> cardFor(const std::string& uid) const {
    const auto chain = m_standsFor.find(uid);
    const auto it = m_cardOf.find(chain == m_standsFor.end() ? uid : chain->second);
    return it == m_cardOf.end() ? std::nullopt : std::optional(it->second);
  }

  static bool isNext(const QRectF& above, const QRectF& below) {
    return std::abs(above.left() - below.left()) < kCardWidth && above.bottom() < below.top() &&
           below.top() - above.bottom() < 150;
  }

  void addConnections(const Node& n) {
    const NodeKind* kind = kindOf(n);
    if (!kind) return;
    m_card = n.uid;
    const QRectF rect = out.cards[m_cardOf[n.uid]].rect;
    const bool isFolded = m_chains.contains(n.uid);
    double leftY = rect.top() + 4;
    double rightY = rect.top() + 6;
    double freeY = rect.top() + 14;
    for (std::size_t i = 0; i < kind->inputs.size(); ++i) {
      const InputSpec& input = kind->inputs[i];
      const auto it = n.inputs.find(input.id);
      const bool isConnected = it != n.inputs.end() && !it->second.empty();
      const bool isMain = i == 0;
      if (isFolded && !isMain) continue;
      if (isConnected) {
        for (const Link& link : it->second) {
          if (link.isEmpty()) continue;
          const auto source = cardFor(link.node);
          const ValueType type = outputType(m_plan, link).value_or(input.type);
          if (type == ValueType::Mask && !source)
            addTag(link.node, n.uid, input.id, rect.left(), leftY, 0, false);
          else if (type == ValueType::Kit && !source)
            addTag(link.node, n.uid, input.id, rect.right(), rightY, 0, true);
          // Ground is drawn as a line only from the card next above; elsewhere its name says it, and no line crosses
          // the plan.
          else if (isMain && source && (!isGroundLike(type) || isNext(out.cards[*source].rect, rect)))
            addRibbon(n, input, link, out.cards[*source].rect, rect);
          else if (m_nodes.contains(link.node))
            addChip(rect.right() + 6, rightY,
                    type == ValueType::Surface  ? tr("on")
                    : type == ValueType::Volume ? tr("in")
                    : input.label == "Against"  ? tr("clear of")
                                                : said(input.label).toLower(),
                    link.node, n.uid);
        }
      }
      PlanSlot slot;
      slot.uid = n.uid;
      slot.id = input.id;
      slot.label = said(input.label);
      slot.type = input.type;
      slot.alsoTakes = input.alsoTakes;
      if (bridgeTo(input, ValueType::Surface)) slot.alsoTakes.push_back(ValueType::Surface);
      slot.isFree = !isConnected || input.isMany;
      if (isMain) {
        slot.place = QPointF(rect.center().x(), rect.top());
      } else if (input.type == ValueType::Mask) {
        slot.place = QPointF(rect.left(), freeY);
        freeY += 16;
      } else {
        slot.place = QPointF(rect.right(), rect.top() + 14 + 16 * static_cast<double>(i));
      }
      out.openings.push_back(slot);
    }
    addOutputs(n, rect);
  }

  /// Slots at the foot of a card, and the stubs of what nothing takes.
  void addOutputs(const Node& n, const QRectF& rect) {
    const auto chain = m_chains.find(n.uid);
    const Node& last = chain == m_chains.end() ? n : *m_nodes[chain->second.back()];
    const NodeKind* kind = kindOf(last);
    if (!kind || kind->isLayer) return;  // the end of its chain
    const std::size_t used = kind->usedOutputs(paramsNow(m_plan, last, quality()));
    for (std::size_t o = 0; o < kind->outputs.size(); ++o) {
      if (o >= used && !m_taken.contains(last.uid + "/" + kind->outputs[o].id)) continue;
      const OutputSpec& output = kind->outputs[o];
      PlanSlot slot;
      slot.uid = last.uid;
      slot.id = output.id;
      slot.label = said(output.label);
      slot.type = outputType(m_plan, {last.uid, output.id, {}}).value_or(output.type);
      slot.isOutput = true;
      slot.place = QPointF(outputX(rect, *kind, o, std::max(used, o + 1)), rect.bottom());
      out.openings.push_back(slot);
      const NodeReport* r = report(last.uid);
      if (last.isSkipped || slot.type != ValueType::Points || m_taken.contains(last.uid + "/" + output.id) || !r ||
          r->passed.size() <= o || r->passed[o] == 0 || kind->outputs.size() < 2)
        continue;
      const bool isLeftOut = output.isLeftOut;
      if (o == 0 && kind->outputs.size() == 2) continue;
      const double width = ribbonWidth({last.uid, output.id, {}});
      const double shown = std::max(3.0, width);
      out.stubs.push_back(
          {QRectF(slot.place.x() - shown / 2, rect.bottom() + 1, shown, 11), isLeftOut, last.uid, output.id});
    }
  }

  void addRibbon(const Node& n, const InputSpec& input, const Link& link, const QRectF& from, const QRectF& to) {
    PlanRibbon r;
    r.link = link;
    r.to = n.uid;
    r.input = input.id;
    r.isHairline = isGroundLike(outputType(m_plan, link).value_or(input.type));
    const auto source = m_nodes.find(link.node);
    const NodeKind* kind = source == m_nodes.end() ? nullptr : kindOf(*source->second);
    const int output = kind ? kind->outputIndex(link.output) : -1;
    const std::size_t used = kind ? kind->usedOutputs(paramsNow(m_plan, *source->second, quality())) : 0;
    const auto at = static_cast<std::size_t>(std::max(0, output));
    QPointF a(output >= 0 ? outputX(from, *kind, at, std::max(used, at + 1)) : from.center().x(), from.bottom());
    QPointF b(to.center().x(), to.top());
    if (r.isHairline) {
      a.setX(from.left() + 14);
      b.setX(to.left() + 14);
    } else {
      r.width = ribbonWidth(link);
    }
    r.path.moveTo(a);
    if (std::abs(a.x() - b.x()) < 1) {
      r.path.lineTo(b);
    } else {
      const double bend = std::clamp(std::abs(b.y() - a.y()) * 0.5, 24.0, 90.0);
      r.path.cubicTo(a + QPointF(0, bend), b - QPointF(0, bend), b);
    }
    out.ribbons.push_back(r);
  }

  const Plan& m_plan;
  const EvalView* m_view;
  const std::map<std::string, QPointF>& m_moved;
  const std::set<std::string>& m_folded;
  std::map<std::string, const Node*> m_nodes;
  std::map<std::string, int> m_uses;
  std::map<std::string, std::size_t> m_cardOf;
  std::string m_card;                                        // whose connections are added
  std::set<std::string> m_taken;                             // outputs that something takes
  std::map<std::string, std::string> m_standsFor;            // node of a folded chain → its head
  std::map<std::string, std::vector<std::string>> m_chains;  // by head
  mutable std::map<std::string, double> m_sources;
  PlanLayout out;
};

}  // namespace

bool isDocked(const Plan& plan, const Node& node) {
  if (!isDockKind(plan, node)) return false;
  return std::any_of(plan.nodes.begin(), plan.nodes.end(), [&](const Node& other) {
    return std::any_of(other.inputs.begin(), other.inputs.end(), [&](const auto& in) {
      return std::any_of(in.second.begin(), in.second.end(), [&](const Link& l) { return l.node == node.uid; });
    });
  });
}

std::vector<std::string> chainFrom(const Plan& plan, const std::string& head) {
  std::vector<std::string> chain{head};
  for (;;) {
    const Node* next = nullptr;
    int uses = 0;
    for (const Node& n : plan.nodes)
      for (const auto& [id, links] : n.inputs)
        for (const Link& l : links) {
          if (l.node != chain.back()) continue;
          ++uses;
          const NodeKind* kind = kindOf(n);
          const NodeKind* from = kindOf(*plan.find(l.node));
          const bool isMain = kind && from && !kind->inputs.empty() && kind->inputs.front().id == id &&
                              links.size() == 1 && !from->outputs.empty() && l.output == from->outputs.front().id;
          if (isMain && kind->inputs.front().type == ValueType::Points) next = &n;
        }
    // An output stays to be seen: it is what the chain is for.
    if (uses != 1 || !next || kindOf(*next)->isLayer || std::find(chain.begin(), chain.end(), next->uid) != chain.end())
      return chain;
    chain.push_back(next->uid);
  }
}

const PlanPaper* PlanLayout::paperItem(const std::string& uid) const {
  const auto it = std::find_if(paper.begin(), paper.end(), [&](const PlanPaper& p) { return p.uid == uid; });
  return it == paper.end() ? nullptr : &*it;
}

const PlanCard* PlanLayout::card(const std::string& uid) const {
  const auto it = std::find_if(cards.begin(), cards.end(), [&](const PlanCard& c) { return c.uid == uid; });
  return it == cards.end() ? nullptr : &*it;
}

PlanLayout layoutPlan(const Plan& plan, const EvalView* view, const std::map<std::string, QPointF>& moved,
                      const std::set<std::string>& folded) {
  return Builder(plan, view, moved, folded).build();
}

bool takesMain(const NodeKind& kind, ValueType type) { return !kind.inputs.empty() && kind.inputs.front().takes(type); }
bool gives(const NodeKind& kind, ValueType type) {
  if (kind.outputs.empty()) return false;
  const OutputSpec& first = kind.outputs.front();
  const InputSpec* same = first.sameAs.empty() ? nullptr : kind.findInput(first.sameAs);
  return first.type == type || (same && same->takes(type));
}

QPainterPath hitArea(const PlanRibbon& r) {
  QPainterPathStroker stroker;
  stroker.setWidth(std::max(12.0, r.width));
  return stroker.createStroke(r.path);
}

}  // namespace arvesk
