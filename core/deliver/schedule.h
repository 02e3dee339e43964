// Schedule: per output and prop how many, how large, how many triangles and how much memory, against budgets.
#pragma once

#include "core/plan/evaluator.h"

namespace arvesk {

/// A prop, or all pieces of one body.
struct ScheduleRow {
  std::string output;      // uid of the Output node
  std::string title;       // its title
  std::string key;         // see scheduleKeyOf
  std::string name;        // the prop's, or the body's
  PropPtr prop;            // of pieces the one that is placed most
  std::size_t pieces = 0;  // different ones; 0 where it is no body in pieces
  std::size_t owners = 0;  // how many of the body they were broken off
  std::size_t count = 0;
  double share = 0;             // of all placements, 0 to 1
  std::uint64_t triangles = 0;  // of all its placements
  std::size_t bytes = 0;        // of its geometry, once, and of its placements (position, turn, size, id)
  double meanSize = 1;          // mean of the three factors, over the placements
  float smallest = 0;           // the same, least and most
  float largest = 0;
  std::string budgetKey() const { return output + "/" + key; }
};

struct Schedule {
  std::vector<ScheduleRow> rows;  // by output in the plan's order, then by count, most first
  std::size_t count = 0;
  std::uint64_t triangles = 0;
  std::size_t bytes = 0;  // geometry of each prop counted once
};

/// What a prop is counted under: its uid, or for pieces that of what they were broken off.
std::string scheduleKeyOf(const Prop& prop);

/// Over the visible outputs; with `inSite` (a uid) over what that node gives.
Schedule scheduleOf(const Plan& plan, const Evaluation& evaluation, const std::string& inSite);

/// How a count stands to a budget: the larger of the two shares, placements and triangles; 0 when there is no budget.
double budgetShare(const Budget& budget, double count, double triangles);

}  // namespace arvesk
