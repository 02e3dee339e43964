#include "core/plan/tidy.h"

#include "core/plan/plan_index.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>

namespace arvesk {
namespace {

constexpr double kSide = 104;   // what tags, chips and kits take at each side of a card; kept for those to come
constexpr double kRowGap = 34;  // below a card
constexpr double kColumnGap = 12;
constexpr double kBedSide = 8;  // a bed of one column with its sides fits a pane of 450 pixels
constexpr double kBedTop = 34;  // its title
constexpr double kBedFoot = 22;
constexpr double kBlockGap = 28;
constexpr double kLeastBlock = 96;  // so that the title of a card is read from far away

struct Size {
  double width = 0;
  double height = 0;
};

/// Cards that stay together: those of a bed, or a chain that lies on none.
struct Block {
  PaperItem* bed = nullptr;
  std::vector<Node*> cards;
  std::vector<PaperItem*> notes;
  std::size_t first = std::numeric_limits<std::size_t>::max();  // in the document
  Size size;
};

PlanRect around(const PlanRect& a, const PlanRect& b) {
  const double x = std::min(a.x, b.x);
  const double y = std::min(a.y, b.y);
  return {x, y, std::max(a.right(), b.right()) - x, std::max(a.bottom(), b.bottom()) - y};
}

/// What the node takes from at its first input, among `cards`.
std::vector<Node*> mainSources(const Node& n, const std::map<std::string, Node*>& cards) {
  std::vector<Node*> out;
  const NodeKind* kind = kindOf(n);
  if (!kind || kind->inputs.empty()) return out;
  if (const auto it = n.inputs.find(kind->inputs.front().id); it != n.inputs.end())
    for (const Link& l : it->second)
      if (const auto source = cards.find(l.node); source != cards.end()) out.push_back(source->second);
  return out;
}

CardRoom roomOf(const CardRooms& rooms, const Node& n) {
  CardRoom room = rooms.at(n.uid);
  room.left = std::max(room.left, kSide);
  room.right = std::max(room.right, kSide);
  return room;
}

/// Columns of cards with their sides, from (0, 0) on; returns what they take. Each end of a chain goes up through first
/// sources in one column; further sources open columns of their own. A card is below all that it takes from.
Size placeColumns(const std::vector<Node*>& cards, const CardRooms& rooms) {
  std::map<std::string, Node*> among;
  for (Node* n : cards) among[n->uid] = n;
  std::map<const Node*, std::vector<Node*>> sources;
  std::set<const Node*> isSource;
  for (const Node* n : cards) {
    sources[n] = mainSources(*n, among);
    for (const Node* s : sources[n])
      if (s != n) isSource.insert(s);
  }
  std::map<const Node*, std::size_t> column;
  std::size_t columns = 0;
  const auto goUp = [&](Node* end) {  // not by recursion: a chain may have a thousand cards
    std::vector<std::pair<Node*, std::size_t>> open{{end, columns++}};
    while (!open.empty()) {
      const auto [n, at] = open.back();
      open.pop_back();
      if (!column.emplace(n, at).second) continue;
      bool isFirst = true;
      std::vector<std::pair<Node*, std::size_t>> next;
      for (Node* s : sources[n]) {
        if (column.contains(s)) continue;
        next.push_back({s, isFirst ? at : columns++});
        isFirst = false;
      }
      open.insert(open.end(), next.rbegin(), next.rend());
    }
  };
  for (Node* n : cards)
    if (!isSource.contains(n)) goUp(n);
  for (Node* n : cards)  // of loops, which have no end
    if (!column.contains(n)) goUp(n);

  // Rows, each card after its sources: below them, and below what its column holds already.
  std::map<const Node*, double> y;
  std::map<std::size_t, double> freeFrom;
  std::set<const Node*> isOpen;
  Size all;
  const auto place = [&](Node* n) {
    double at = freeFrom[column[n]];
    for (const Node* s : sources[n])
      if (const auto it = y.find(s); it != y.end()) at = std::max(at, it->second + rooms.at(s->uid).height + kRowGap);
    y[n] = at;
    freeFrom[column[n]] = at + rooms.at(n->uid).height + kRowGap;
    all.height = std::max(all.height, at + rooms.at(n->uid).height);
  };
  for (Node* start : cards) {
    std::vector<Node*> open{start};
    while (!open.empty()) {
      Node* n = open.back();
      if (y.contains(n)) {
        open.pop_back();
        continue;
      }
      bool isReady = true;
      if (isOpen.insert(n).second)
        for (Node* s : sources[n])
          if (!y.contains(s) && !isOpen.contains(s)) {
            open.push_back(s);
            isReady = false;
          }
      if (!isReady) continue;
      place(n);
      open.pop_back();
    }
  }
  // Columns are as wide as what they hold; the emptied ones of loops take nothing.
  std::vector<CardRoom> widest(columns, CardRoom{0, 0, 0, 0});
  for (const Node* n : cards) {
    const CardRoom room = roomOf(rooms, *n);
    CardRoom& w = widest[column[n]];
    w.left = std::max(w.left, room.left);
    w.right = std::max(w.right, room.right);
    w.width = std::max(w.width, room.width);
  }
  std::vector<double> lefts(columns, 0);
  for (std::size_t c = 0; c < columns; ++c) {
    if (widest[c].width == 0) continue;
    if (all.width > 0) all.width += kColumnGap;
    lefts[c] = all.width + widest[c].left;
    all.width = lefts[c] + widest[c].width + widest[c].right;
  }
  for (Node* n : cards) {
    n->x = std::round(lefts[column[n]]);
    n->y = std::round(y[n]);
  }
  return all;
}

/// Places in order, in stacks no higher than `stack`, the stacks in rows no wider than `row`.
std::vector<PlanRect> shelves(const std::vector<Size>& sizes, double stack, double row, Size& all) {
  std::vector<PlanRect> out;
  all = {};
  double x = 0;       // of the stack
  double y = 0;       // of the row
  double width = 0;   // of the stack
  double height = 0;  // of the stack
  double rowHeight = 0;
  for (const Size& s : sizes) {
    if (height > 0 && height + kBlockGap + s.height <= stack && x + std::max(width, s.width) <= row) {
      out.push_back({x, y + height + kBlockGap, s.width, s.height});
      height += kBlockGap + s.height;
      width = std::max(width, s.width);
    } else {
      if (height > 0) x += width + kBlockGap;
      if (height > 0 && x + s.width > row) {
        x = 0;
        y += rowHeight + kBlockGap;
        rowHeight = 0;
      }
      out.push_back({x, y, s.width, s.height});
      width = s.width;
      height = s.height;
    }
    rowHeight = std::max(rowHeight, height);
    all.width = std::max(all.width, x + width);
    all.height = std::max(all.height, y + rowHeight);
  }
  return out;
}

/// The arrangement that shows largest.
std::vector<PlanRect> fill(const std::vector<Size>& sizes, double paneWidth, double paneHeight) {
  Size widest;
  double sum = kBlockGap;
  for (const Size& s : sizes) {
    widest.width = std::max(widest.width, s.width);
    widest.height = std::max(widest.height, s.height);
    sum += s.width + kBlockGap;
  }
  std::vector<PlanRect> best;
  double bestScale = 0;
  for (const double stack : {1.0, 1.25, 1.6, 2.0, 3.0, 5.0, 8.0})
    for (double row = widest.width; row < sum * 1.05; row *= 1.04) {
      Size all;
      std::vector<PlanRect> places = shelves(sizes, widest.height * stack, row, all);
      const double scale = std::min(paneWidth / all.width, paneHeight / all.height);
      if (scale <= bestScale * (1 + 1e-9)) continue;
      bestScale = scale;
      best = std::move(places);
    }
  return best;
}

/// Beds with what lies on them, and chains of what lies on none.
std::vector<Block> blocksOf(Plan& plan, const CardRooms& rooms) {
  std::vector<Block> blocks;
  for (PaperItem& item : plan.paper)
    if (item.sort == PaperItem::Sort::Bed)
      blocks.push_back({&item, {}, {}, std::numeric_limits<std::size_t>::max(), {}});
  std::map<std::string, std::size_t> blockOf;
  const std::size_t beds = blocks.size();
  std::map<std::string, Node*> loose;
  for (std::size_t i = 0; i < plan.nodes.size(); ++i) {
    Node& n = plan.nodes[i];
    if (!rooms.contains(n.uid)) continue;
    std::size_t at = beds;
    for (std::size_t b = 0; b < beds && at == beds; ++b)
      if (liesOn(n, *blocks[b].bed)) at = b;
    if (at == beds) {
      loose[n.uid] = &n;
      continue;
    }
    blocks[at].cards.push_back(&n);
    blocks[at].first = std::min(blocks[at].first, i);
    blockOf[n.uid] = at;
  }
  // Chains: what is linked at first inputs, in the order of the document.
  std::map<const Node*, std::vector<Node*>> linked;
  for (const auto& [uid, n] : loose)
    for (Node* s : mainSources(*n, loose)) {
      linked[n].push_back(s);
      linked[s].push_back(n);
    }
  for (std::size_t i = 0; i < plan.nodes.size(); ++i) {
    Node& start = plan.nodes[i];
    if (!loose.contains(start.uid) || blockOf.contains(start.uid)) continue;
    std::vector<Node*> open{&start};
    blockOf[start.uid] = blocks.size();
    while (!open.empty()) {
      const Node* n = open.back();
      open.pop_back();
      for (Node* other : linked[n])
        if (blockOf.emplace(other->uid, blocks.size()).second) open.push_back(other);
    }
    blocks.push_back({nullptr, {}, {}, i, {}});
    for (Node& n : plan.nodes)
      if (const auto it = blockOf.find(n.uid); it != blockOf.end() && it->second == blocks.size() - 1)
        blocks.back().cards.push_back(&n);
  }
  // Notes go with what they are stuck on or beside.
  for (PaperItem& note : plan.paper) {
    if (note.sort != PaperItem::Sort::Note) continue;
    const auto away = [&](const PlanRect& r) {  // from edge to edge
      return std::hypot(std::max({0.0, r.x - note.x - note.width, note.x - r.right()}),
                        std::max({0.0, r.y - note.y - note.height, note.y - r.bottom()}));
    };
    std::size_t nearest = blocks.size();
    double distance = std::numeric_limits<double>::max();
    for (std::size_t b = 0; b < blocks.size(); ++b) {
      const auto look = [&](const PlanRect& r) {
        if (away(r) >= distance) return;
        distance = away(r);
        nearest = b;
      };
      if (const PaperItem* bed = blocks[b].bed) look({bed->x, bed->y, bed->width, bed->height});
      if (blocks[b].bed || blocks[b].cards.empty()) continue;
      PlanRect all = rectOf(*blocks[b].cards.front(), roomOf(rooms, *blocks[b].cards.front()));
      for (const Node* n : blocks[b].cards) all = around(all, rectOf(*n, roomOf(rooms, *n)));
      look(all);
    }
    if (nearest == blocks.size()) blocks.emplace_back();  // a plan of notes
    blocks[nearest].notes.push_back(&note);
  }
  return blocks;
}

/// Which block comes after which: what takes from another, also through masks and kits, is after it, as far as that can
/// be; else as the document has it.
std::vector<std::size_t> workOrder(const Plan& plan, const std::vector<Block>& blocks) {
  std::map<const Node*, std::size_t> blockOf;
  for (std::size_t b = 0; b < blocks.size(); ++b)
    for (const Node* n : blocks[b].cards) blockOf[n] = b;
  const PlanIndex index(plan);
  std::vector<std::set<std::size_t>> before(blocks.size());
  for (const auto& [n, b] : blockOf) {
    std::vector<const Node*> open{n};
    std::set<const Node*> seen{n};
    while (!open.empty()) {
      const Node* at = open.back();
      open.pop_back();
      for (const auto& [id, links] : at->inputs)
        for (const Link& l : links) {
          const Node* source = index.find(l.node);
          if (!source || !seen.insert(source).second) continue;
          if (const auto it = blockOf.find(source); it == blockOf.end())
            open.push_back(source);  // docked: what it takes from counts
          else if (it->second != b)
            before[b].insert(it->second);
        }
    }
  }
  std::vector<std::size_t> order;
  std::vector<bool> isDone(blocks.size(), false);
  while (order.size() < blocks.size()) {
    std::size_t next = blocks.size();
    std::size_t fewest = 0;
    for (std::size_t b = 0; b < blocks.size(); ++b) {
      if (isDone[b]) continue;
      const auto open = static_cast<std::size_t>(
          std::count_if(before[b].begin(), before[b].end(), [&](std::size_t o) { return !isDone[o]; }));
      if (next < blocks.size() && (open > fewest || (open == fewest && blocks[b].first >= blocks[next].first)))
        continue;
      next = b;
      fewest = open;
    }
    isDone[next] = true;
    order.push_back(next);
  }
  return order;
}

/// Lays a block out from (0, 0) on.
void layOut(Block& block, const CardRooms& rooms) {
  const bool isBed = block.bed != nullptr;
  const double left = isBed ? kBedSide : 0;
  const double top = isBed ? kBedTop : 0;
  Size inner = placeColumns(block.cards, rooms);
  for (Node* n : block.cards) {
    n->x += left;
    n->y += top;
  }
  double y = 0;
  double right = inner.width;
  for (PaperItem* note : block.notes) {
    note->x = std::round(left + inner.width + (inner.width > 0 ? kColumnGap : 0));
    note->y = std::round(top + y);
    y += note->height + kColumnGap;
    right = std::max(right, note->x - left + note->width);
  }
  inner.height = std::max(inner.height, y - kColumnGap);
  inner.width = right;
  block.size = {inner.width + 2 * left, inner.height + top + (isBed ? kBedFoot : 0)};
  if (!isBed) {
    block.size.height = std::max(block.size.height, kLeastBlock);
    return;
  }
  if (block.cards.empty() && block.notes.empty()) {
    block.size = {block.bed->width, block.bed->height};
    return;
  }
  block.bed->width = std::round(std::max(block.size.width, 160.0));
  block.bed->height = std::round(block.size.height);
  block.size = {block.bed->width, block.bed->height};
}

}  // namespace

PlanRect rectOf(const Node& card, const CardRoom& room) {
  return {card.x - room.left, card.y, room.left + room.width + room.right, room.height};
}

bool liesOn(const Node& card, const PaperItem& bed) {
  return PlanRect{bed.x, bed.y, bed.width, bed.height}.holds(card.x + CardRoom().width / 2, card.y + 20);
}

void tidyPlan(Plan& plan, const CardRooms& rooms, double paneWidth, double paneHeight) {
  std::vector<Block> blocks = blocksOf(plan, rooms);
  if (blocks.empty()) return;
  const std::vector<std::size_t> order = workOrder(plan, blocks);
  std::vector<Size> sizes;
  for (const std::size_t b : order) {
    layOut(blocks[b], rooms);
    sizes.push_back(blocks[b].size);
  }
  const std::vector<PlanRect> places = fill(sizes, std::max(1.0, paneWidth), std::max(1.0, paneHeight));
  for (std::size_t i = 0; i < order.size(); ++i) {
    const Block& block = blocks[order[i]];
    const double dx = std::round(places[i].x);
    const double dy = std::round(places[i].y);
    for (Node* n : block.cards) {
      n->x += dx;
      n->y += dy;
    }
    for (PaperItem* note : block.notes) {
      note->x += dx;
      note->y += dy;
    }
    if (block.bed) {
      block.bed->x = dx;
      block.bed->y = dy;
    }
  }
}

std::vector<PlanRect> takenPlaces(const Plan& plan, const CardRooms& rooms, const std::set<std::string>& but) {
  std::vector<PlanRect> taken;
  for (const Node& n : plan.nodes)
    if (const auto room = rooms.find(n.uid); room != rooms.end() && !but.contains(n.uid))
      taken.push_back(rectOf(n, room->second));
  for (const PaperItem& item : plan.paper)
    if (item.sort == PaperItem::Sort::Note && !but.contains(item.uid))
      taken.push_back({item.x, item.y, item.width, item.height});
  return taken;
}

PlanRect freePlace(const std::vector<PlanRect>& taken, PlanRect wanted) {
  // The nearest free place touches what is in the way: left or right of it, above or below, by a gap.
  constexpr double kGap = 12;
  std::vector<double> xs{wanted.x};
  std::vector<double> ys{wanted.y};
  for (const PlanRect& t : taken) {
    xs.insert(xs.end(), {t.right() + kGap, t.x - wanted.width - kGap});
    ys.insert(ys.end(), {t.bottom() + kRowGap, t.y - wanted.height - kRowGap});
  }
  const auto nearestFirst = [](std::vector<double>& v, double to) {
    std::sort(v.begin(), v.end(),
              [to](double a, double b) { return std::pair(std::abs(a - to), a) < std::pair(std::abs(b - to), b); });
    v.erase(std::unique(v.begin(), v.end()), v.end());
  };
  nearestFirst(xs, wanted.x);
  nearestFirst(ys, wanted.y);
  const PlanRect start = wanted;
  PlanRect best = start;
  double least = std::numeric_limits<double>::max();
  for (const double x : xs) {
    if (std::abs(x - start.x) >= least) break;
    for (const double y : ys) {
      const double away = std::hypot(x - start.x, y - start.y);
      if (away >= least) break;
      const PlanRect at{x, y, start.width, start.height};
      if (std::any_of(taken.begin(), taken.end(), [&](const PlanRect& t) { return t.meets(at); })) continue;
      least = away;
      best = at;
    }
  }
  return best;
}

void tidyCards(Plan& plan, const std::set<std::string>& uids, const CardRooms& rooms) {
  std::vector<Node*> cards;
  for (Node& n : plan.nodes)
    if (rooms.contains(n.uid) && uids.contains(n.uid)) cards.push_back(&n);
  if (cards.empty()) return;
  PaperItem* bed = nullptr;
  for (PaperItem& item : plan.paper)
    if (item.sort == PaperItem::Sort::Bed && !bed &&
        std::all_of(cards.begin(), cards.end(), [&](const Node* n) { return liesOn(*n, item); }))
      bed = &item;
  double left = cards.front()->x;
  double top = cards.front()->y;
  for (const Node* n : cards) {
    left = std::min(left, n->x);
    top = std::min(top, n->y);
  }
  const Size size = placeColumns(cards, rooms);
  double first = std::numeric_limits<double>::max();
  for (const Node* n : cards) first = std::min(first, n->x);
  const PlanRect wanted{left - first, top, size.width, size.height};
  const PlanRect place = freePlace(takenPlaces(plan, rooms, uids), wanted);
  for (Node* n : cards) {
    n->x = std::round(n->x + place.x);
    n->y = std::round(n->y + place.y);
  }
  if (!bed) return;
  for (const Node* n : cards) {
    const PlanRect r = rectOf(*n, rooms.at(n->uid));
    const double right = std::max(bed->x + bed->width, r.right() + kBedSide);
    const double bottom = std::max(bed->y + bed->height, r.bottom() + kBedFoot);
    bed->x = std::min(bed->x, r.x - kBedSide);
    bed->y = std::min(bed->y, r.y - kBedTop);
    bed->width = std::round(right - bed->x);
    bed->height = std::round(bottom - bed->y);
  }
}

}  // namespace arvesk
