#include "core/nodes/named_props.h"

namespace arvesk::nodes {

NamedProps namedProps(const EvalContext& ctx, const KitPtr& given, const std::vector<std::string>& uids,
                      const std::vector<std::size_t>& uses,
                      const std::function<void(std::size_t uses, const std::string& uid)>& isMissed) {
  NamedProps out;
  Kit kit;
  if (given) kit.entries = given->entries;
  out.ofKit = kit.entries.size();
  out.place.push_back(kNoProp);
  for (std::size_t k = 0; k < uids.size(); ++k) {
    const auto isIt = [&](const PropPtr& prop) { return prop->uid == uids[k]; };
    const auto known = std::find_if(kit.entries.begin(), kit.entries.end(),
                                    [&](const KitEntry& e) { return isIt(e.prop); });
    out.place.push_back(static_cast<std::int32_t>(known - kit.entries.begin()));
    if (known != kit.entries.end()) continue;
    const auto it = std::find_if(ctx.props->begin(), ctx.props->end(), isIt);
    if (it != ctx.props->end()) {
      if (uses[k] > 0)
        kit.entries.push_back({*it, 0});
      else
        out.place.back() = kNoProp;
      continue;
    }
    out.place.back() = kNoProp;
    if (uses[k] > 0) isMissed(uses[k], uids[k]);
  }
  out.kit = kit.entries.size() == out.ofKit ? given : std::make_shared<const Kit>(std::move(kit));
  return out;
}

}  // namespace arvesk::nodes
