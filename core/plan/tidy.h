// Where the cards of a plan stand: beds in rows and columns that fill the shape of a pane, and free room for new cards.
#pragma once

#include "core/plan/document.h"

#include <set>

namespace arvesk {

/// A rectangle of the Plan, in its pixels; y goes down.
struct PlanRect {
  double x = 0;
  double y = 0;
  double width = 0;
  double height = 0;

  double right() const { return x + width; }
  double bottom() const { return y + height; }
  bool meets(const PlanRect& o) const { return x < o.right() && o.x < right() && y < o.bottom() && o.y < bottom(); }
  bool holds(double px, double py) const { return px >= x && px < right() && py >= y && py < bottom(); }
};

/// What is taken by a card with all that is docked to it, about the card's own place.
struct CardRoom {
  double left = 0;  // that tags reach out to the left
  double right = 0;
  double width = 208;  // the card's own
  double height = 48;  // down to the last tag or chip
};
using CardRooms = std::map<std::string, CardRoom>;  // by uid of all nodes that have cards; masks and kits are docked

PlanRect rectOf(const Node& card, const CardRoom& room);
/// Does it lie on the bed? Then it goes where the bed goes.
bool liesOn(const Node& card, const PaperItem& bed);

/// Places all cards: those of a bed in columns down their chains, beds and cards without one in the order of work, in
/// the rows and columns that show largest in a pane of this shape. No two cards meet, and beds hold their own cards
/// alone.
void tidyPlan(Plan& plan, const CardRooms& rooms, double paneWidth, double paneHeight);

/// Places some of the cards in columns where they are, off all others; their bed grows when it must.
void tidyCards(Plan& plan, const std::set<std::string>& uids, const CardRooms& rooms);

/// The nearest place for `wanted` where it meets none of `taken`.
PlanRect freePlace(const std::vector<PlanRect>& taken, PlanRect wanted);
/// What the cards and notes of a plan take, without those of `but`.
std::vector<PlanRect> takenPlaces(const Plan& plan, const CardRooms& rooms, const std::set<std::string>& but);

}  // namespace arvesk
