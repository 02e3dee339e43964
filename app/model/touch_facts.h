// How the touch-ups of a plan stand in its results: for the list on the Bench and the marks in Site.
#pragma once

#include "app/model/evaluation_service.h"
#include "core/nodes/adjust/touch_ups.h"

namespace arvesk {

struct TouchRow {
  nodes::TouchStanding standing;
  std::vector<std::string> words;  // what it does
  std::string prop;                // name of what it was, or empty
  Vec3 place{0};                   // where its placement is now; where that was, if it is gone
};

struct TouchFacts {
  std::map<std::string, std::vector<TouchRow>> rows;  // by uid of their node, asleep and stray ones first
  std::vector<Vec3> touched;  // places of what is touched and to be seen, some thousands at most
  std::vector<Vec3> removed;
};

TouchFacts touchFactsOf(const EvalView& view, const Task& task);

}  // namespace arvesk
