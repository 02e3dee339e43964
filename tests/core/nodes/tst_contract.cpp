// The stability contract (docs/architecture.md), clause by clause, over every registered kind of node. A kind that
// cannot keep a clause declares it, and the declaration is tested from both sides.
#include "tests/support/kinds.h"

#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

std::map<std::uint64_t, std::size_t> placesById(const Points& p) {
  std::map<std::uint64_t, std::size_t> out;
  for (std::size_t i = 0; i < p.count; ++i) out[p.id[i]] = i;
  return out;
}

std::set<std::uint64_t> idsOf(const Outputs& outputs) {
  std::set<std::uint64_t> ids;
  for (const Value& v : outputs)
    if (const auto* points = std::get_if<PointsPtr>(&v))
      for (std::size_t i = 0; i < (*points)->count; ++i) ids.insert((*points)->id[i]);
  return ids;
}

PointsPtr everySecond(const Points& p) {
  Array<std::uint32_t> some;
  for (std::uint32_t i = 0; i < p.count; i += 2) some.push_back(i);
  return std::make_shared<const Points>(gathered(p, some));
}

/// Points without those in the west, ground that is higher there, a mask that is other there.
Value withoutItsWest(const Value& value, float west) {
  if (const auto* points = std::get_if<PointsPtr>(&value)) {
    Array<std::uint32_t> east;
    for (std::uint32_t i = 0; i < (*points)->count; ++i)
      if ((*points)->position[i].x > west) east.push_back(i);
    return std::make_shared<const Points>(gathered(**points, east));
  }
  if (const auto* surface = std::get_if<SurfacePtr>(&value)) {
    Surface other = **surface;
    for (Vec3& p : other.positions.edit())
      if (p.x < west) p.y += 1.3F;
    computeSmoothNormals(other);
    return std::make_shared<const Surface>(std::move(other));
  }
  if (const auto* volume = std::get_if<VolumePtr>(&value)) {
    Surface box = transformed(makeBox({8, 8, 40}), Vec3(west - 5, -4, 0), Quat(1, 0, 0, 0), 1);
    return makeCombined({*volume, *makeSolid({std::make_shared<const Surface>(std::move(box))}, {}, {})},
                        CombineWay::Together, 0.1F);
  }
  if (const auto* mask = std::get_if<MaskPtr>(&value)) {
    class Other : public Mask {
     public:
      Other(MaskPtr mask, float west) : m_mask(std::move(mask)), m_west(west) {}
      void values(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
        m_mask->values(at, begin, end, out);
        for (std::size_t i = begin; i < end; ++i)
          if (at.position[i].x < m_west) out[i - begin] = 1 - out[i - begin];
      }
      void countBytes(ByteCounter& counter) const override { m_mask->countBytes(counter); }

     private:
      MaskPtr m_mask;
      float m_west;
    };
    return std::make_shared<const Other>(*mask, west);
  }
  return value;
}

/// All that a kind gives, point by point and output by output.
std::map<std::uint64_t, std::vector<std::uint64_t>> printsById(const NodeKind& kind, const Inputs& in,
                                                               const ParamMap& params) {
  std::map<std::uint64_t, std::vector<std::uint64_t>> out;
  test::Bench bench;
  const auto outputs = bench.run(kind.id, in, params);
  for (std::size_t o = 0; outputs && o < outputs->size(); ++o)
    if (const auto* p = std::get_if<PointsPtr>(&(*outputs)[o]))
      for (std::uint32_t i = 0; i < (*p)->count; ++i) {
        auto& print = out[(*p)->id[i]];
        print = fingerprint(std::make_shared<const Points>(gathered(**p, {i})));
        print.push_back(o);
        if (kind.id == "order") print.push_back(i);  // what it makes is their order
      }
  return out;
}

bool takesPointByPoint(const NodeKind& kind) {
  return !kind.inputs.empty() && kind.inputs.front().type == ValueType::Points && !kind.inputs.front().isMany &&
         kind.outputs.front().type == ValueType::Points;
}

}  // namespace

class TestContract : public EveryKind {
  Q_OBJECT

 private Q_SLOTS:
  void declarationIsWhole_data() { everyKind(); }
  void declarationIsWhole() {
    const NodeKind& k = kind();
    QVERIFY(!k.label.empty() && k.help.size() > 30 && !k.glyph.empty() && !k.outputs.empty());
    QVERIFY(k.id.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789-") == std::string::npos);
    std::set<std::string> ids;
    for (const ParamSpec& p : k.params) {
      QVERIFY2(ids.insert(p.id).second, p.id.c_str());
      QVERIFY2(!p.label.empty() && p.help.size() > 8, p.id.c_str());
      QVERIFY2(faultOf(p, p.defaultValue).empty(), p.id.c_str());
      QVERIFY2(p.shownBy.empty() || k.findParam(p.shownBy), p.id.c_str());
      QVERIFY2(
          p.countedBy.empty() || (k.findParam(p.countedBy) && k.findParam(p.countedBy)->type == ParamType::Integer),
          p.id.c_str());
      QVERIFY(p.id.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789_") == std::string::npos);
    }
    QVERIFY(!k.sentence({}).empty());
    QFile glyph(test::sourcePath("app/resources/glyphs/%1.svg").arg(QString::fromStdString(k.glyph)));
    QVERIFY2(glyph.exists(), k.glyph.c_str());
  }

  void idsAreUniqueAndPointsWhole_data() { everyKind(); }
  void idsAreUniqueAndPointsWhole() {
    std::size_t ran = 0;
    for (const ParamMap& params : choicesOf(kind())) {
      test::Bench bench;
      const auto out = bench.run(kind().id, inputsFor(kind(), pointsOnGround()), params);
      if (!out) continue;  // a choice that wants what is not there: a file with ids, a text on the points
      ++ran;
      QCOMPARE(out->size(), kind().outputs.size());
      for (const Value& v : *out)
        if (const auto* points = std::get_if<PointsPtr>(&v)) {
          const auto fault = findFault(**points);
          QVERIFY2(!fault, fault ? fault->c_str() : "");
        }
      // Several outputs never hold the same point twice.
      std::size_t sum = 0;
      for (const Value& v : *out) sum += std::holds_alternative<PointsPtr>(v) ? countOf(v) : 0;
      QCOMPARE(idsOf(*out).size(), sum);
    }
    QVERIFY2(ran * 2 > choicesOf(kind()).size(), qPrintable(QString::number(ran)));
  }

  void threadsDoNotMatter_data() { everyKind(); }
  void threadsDoNotMatter() {
    const Inputs in = inputsFor(kind(), pointsOnGround());
    for (const ParamMap& params : choicesOf(kind())) {
      const auto with = [&](int threads) {
        std::vector<std::uint64_t> print;
        withThreads(threads, [&] {
          test::Bench bench;
          if (const auto out = bench.run(kind().id, in, params)) print = fingerprint(*out);
        });
        return print;
      };
      const auto one = with(1);
      QVERIFY(!one.empty() || params != kind().trial.params);
      QVERIFY(one == with(2));
    }
  }

  /// Whoever looks at the moment says so, else the cache would give another frame's.
  void momentsCountWhereTheyAreDeclared_data() { everyKind(); }
  void momentsCountWhereTheyAreDeclared() {
    const Inputs in = inputsFor(kind(), pointsOnGround());
    for (const ParamMap& params : choicesOf(kind())) {
      const auto at = [&](double frame) {
        test::Bench bench;
        bench.ctx.now = {frame, (frame - 1) / 24, (frame - 1) / 120, 24, true};
        const auto out = bench.run(kind().id, in, params);
        return out ? fingerprint(*out) : std::vector<std::uint64_t>();
      };
      const auto first = at(1);
      const bool isSame = first == at(17) && first == at(240);
      QVERIFY(isSame || (kind().usesTime && kind().usesTime(params)) || (kind().remembers && kind().remembers(params)));
    }
  }

  /// The cache goes by seeds only where a kind declares that it has one.
  void seedsCountWhereTheyAreDeclared_data() { everyKind(); }
  void seedsCountWhereTheyAreDeclared() {
    Inputs in = inputsFor(kind(), pointsOnGround());
    in.links.erase("patches");  // points are inside of patches around themselves under any seed
    test::Bench half;
    const Value undecided = half.run("expression", {}, {{"text", std::string(kind().id == "keep-out" ? "0.6" : "0.4")}})
                                ->front();  // a chance for everyone, on the side of the limit where it counts
    for (auto& [id, links] : in.links)
      for (auto& link : links)
        if (std::holds_alternative<MaskPtr>(link.value)) link.value = undecided;
    std::vector<ParamMap> all{kind().trial.params};
    for (const ParamSpec& spec : kind().params)
      if (spec.type == ParamType::Choice)
        for (const Option& o : spec.options) {
          all.push_back(kind().trial.params);
          all.back()[spec.id] = o.id;
        }
    bool isMoved = false;
    for (const ParamMap& params : all) {
      const auto under = [&](std::uint64_t planSeed, std::uint64_t nodeSeed) {
        test::Bench bench;
        bench.ctx.planSeed = planSeed;
        bench.ctx.nodeSeed = nodeSeed;
        const auto out = bench.run(kind().id, in, params);
        return out ? fingerprint(*out) : std::vector<std::uint64_t>();
      };
      isMoved = isMoved || under(1, 0) != under(2, 0) || under(1, 0) != under(1, 5);
    }
    QCOMPARE(isMoved, kind().usesSeed);
  }

  void filtersAndAdjustmentsKeepIds_data() { everyKind(); }
  void filtersAndAdjustmentsKeepIds() {
    if (kind().family != Family::Thin && kind().family != Family::Adjust && kind().id != "dress") return;
    std::set<std::uint64_t> before;
    for (std::size_t i = 0; i < pointsOnGround()->count; ++i) before.insert(pointsOnGround()->id[i]);
    for (const ParamMap& params : choicesOf(kind())) {
      test::Bench bench;
      if (const auto out = bench.run(kind().id, inputsFor(kind(), pointsOnGround()), params))
        QVERIFY(idsOf(*out) == before);  // "left out" included, nothing is lost and nothing made
    }
  }

  // Removing other points changes no point's own result, for kinds that look at one point at a time.
  void noPointDependsOnOthers_data() { everyKind(); }
  void noPointDependsOnOthers() {
    if (!takesPointByPoint(kind())) return;
    const PointsPtr all = pointsOnGround();
    const PointsPtr some = everySecond(*all);
    for (const ParamMap& params : choicesOf(kind())) {
      if (kind().reach(params).isAmongItsOwn) continue;
      test::Bench bench;
      Inputs in = inputsFor(kind(), all);
      const auto whole = bench.run(kind().id, in, params);
      in.links[kind().inputs.front().id] = inputsFor(kind(), some).links[kind().inputs.front().id];
      const auto part = bench.run(kind().id, in, params);
      QCOMPARE(part.has_value(), whole.has_value());
      if (!whole) continue;
      for (std::size_t o = 0; o < whole->size(); ++o) {
        const Points& a = *std::get<PointsPtr>((*whole)[o]);
        const Points& b = *std::get<PointsPtr>((*part)[o]);
        const auto places = placesById(a);
        Array<std::uint32_t> same;
        for (std::size_t i = 0; i < b.count; ++i) {
          QVERIFY(places.contains(b.id[i]));
          same.push_back(static_cast<std::uint32_t>(places.at(b.id[i])));
        }
        QVERIFY(fingerprint(std::make_shared<const Points>(gathered(a, same))) ==
                fingerprint(std::make_shared<const Points>(b)));
      }
    }
  }

  // Of kinds whose points look at each other: taking away all points in the west changes none beyond the declared
  // reach, whatever the choice, and changes some at all, or the declaration asks for more than is needed.
  void aDeclaredReachIsTrue_data() { everyKind(); }
  void aDeclaredReachIsTrue() {
    if (!takesPointByPoint(kind())) return;
    constexpr float kWest = -12;
    const PointsPtr all = pointsOnGround();
    Array<std::uint32_t> east;
    for (std::uint32_t i = 0; i < all->count; ++i)
      if (all->position[i].x > kWest) east.push_back(i);
    const PointsPtr rest = std::make_shared<const Points>(gathered(*all, east));
    float widest = 0;
    for (std::size_t i = 0; i < all->count; ++i) widest = std::max(widest, all->effectiveFootprint(i));
    bool isAsked = false;
    bool isChanged = false;
    for (const ParamMap& params : choicesOf(kind())) {
      const Reach reach = kind().reach(params);
      if (!reach.isAmongItsOwn) continue;
      const auto resultOf = [&](const PointsPtr& points) {
        Inputs in = inputsFor(kind(), all);
        in.links[kind().inputs.front().id] = inputsFor(kind(), points).links[kind().inputs.front().id];
        return printsById(kind(), in, params);
      };
      const auto before = resultOf(all);
      const auto after = resultOf(rest);
      if (before.empty()) continue;
      isAsked = true;
      const bool isBounded = reach.of == Reach::Of::Meters && reach.isStrict;
      const auto bound = static_cast<float>(reach.meters + reach.footprints * static_cast<double>(widest));
      std::size_t beyond = 0;
      for (const auto& [id, print] : after) {  // points that the node made, too
        const auto same = before.find(id);
        isChanged = isChanged || same == before.end() || same->second != print;
      }
      for (std::uint32_t i = 0; i < rest->count; ++i) {
        const auto a = before.find(rest->id[i]);
        const auto b = after.find(rest->id[i]);
        const bool isSame = (a == before.end()) == (b == after.end()) && (a == before.end() || a->second == b->second);
        isChanged = isChanged || !isSame;
        if (!isBounded || rest->position[i].x < kWest + bound) continue;
        ++beyond;
        QVERIFY2(isSame, "a point beyond the reach of the edit changed");
      }
      QVERIFY2(!isBounded || bound > 20 || beyond > 100, qPrintable(QString::number(static_cast<double>(bound))));
    }
    QCOMPARE(isChanged, isAsked);
  }

  // The same for everything that a kind looks at beside its points: other points, the ground, a mask. What is changed
  // in the west of one input changes no point beyond the declared reach.
  void whatIsLookedAtStaysInReach_data() { everyKind(); }
  void whatIsLookedAtStaysInReach() {
    if (!takesPointByPoint(kind())) return;
    constexpr float kWest = -12;
    const PointsPtr all = pointsOnGround();
    float widest = 0;
    for (std::size_t i = 0; i < all->count; ++i) widest = std::max(widest, all->effectiveFootprint(i));
    for (const InputSpec& input : kind().inputs) {
      if (&input == &kind().inputs.front()) continue;
      Inputs in = inputsFor(kind(), all);
      Inputs edited = in;
      for (Inputs::Link& link : edited.links[input.id]) link.value = withoutItsWest(link.value, kWest);
      for (const ParamMap& params : choicesOf(kind())) {
        const Reach reach = kind().reach(params);
        if (reach.of == Reach::Of::WholeSet || !reach.isStrict) continue;
        // A face may begin in the west and end a face's width away.
        const float beyond = kWest + 1.2F +
                             static_cast<float>(reach.meters + reach.footprints * static_cast<double>(widest));
        const auto before = printsById(kind(), in, params);
        const auto after = printsById(kind(), edited, params);
        if (before.empty() || after.empty()) continue;
        std::size_t asked = 0;
        for (std::size_t i = 0; i < all->count; ++i) {
          if (all->position[i].x < beyond) continue;
          ++asked;
          const auto a = before.find(all->id[i]);
          const auto b = after.find(all->id[i]);
          const bool isSame = (a == before.end()) == (b == after.end()) &&
                              (a == before.end() || a->second == b->second);
          QVERIFY2(isSame, qPrintable(QStringLiteral("%1 in the west changed a point beyond the reach")
                                          .arg(QString::fromStdString(input.id))));
        }
        QVERIFY2(asked > 100 || beyond > 0, qPrintable(QString::number(static_cast<double>(beyond))));
      }
    }
  }

  /// What sowing takes from a mask's word: that it is 0 in a whole box, and that it needs no ground to be asked.
  void masksSayWhatTheyLookAt_data() { everyKind(); }
  void masksSayWhatTheyLookAt() {
    if (kind().outputs.front().type != ValueType::Mask) return;
    const PointsPtr all = pointsOnGround();
    Points bare;  // the same places and ids, and nothing else
    bare.count = all->count;
    bare.position = all->position;
    bare.id = all->id;
    const Draw draw(5, 6, 7, "boxes");
    std::size_t empty = 0;
    for (const ParamMap& params : choicesOf(kind())) {
      test::Bench bench;
      const auto out = bench.run(kind().id, inputsFor(kind(), all), params);
      if (!out) continue;
      const Mask& mask = *std::get<MaskPtr>(out->front());
      if (mask.isOfPlaceAlone()) {
        const Array<float> on = maskValues({}, mask, *all);
        const Array<float> off = maskValues({}, mask, bare);
        QVERIFY(std::equal(on.begin(), on.end(), off.begin()));
      }
      for (std::uint64_t k = 0; k < 300; ++k) {
        const auto at = [&](std::uint64_t n) { return draw.unit(hashOf(k, n)); };
        Vec3 corner = all->position[static_cast<std::size_t>(at(0) * static_cast<float>(all->count - 1))];
        if (k % 3 == 0) corner += 300.0F * Vec3(at(5), at(6), at(7));  // far from everything
        const Vec3 extent = 8.0F * Vec3(at(1), at(2), at(3)) * at(4) * at(4);
        if (!mask.isZeroIn({corner, corner + extent})) continue;
        ++empty;
        Points inside;
        inside.count = 60;
        Array<Vec3> position(inside.count);
        Array<std::uint64_t> id(inside.count);
        for (std::size_t i = 0; i < inside.count; ++i) {
          position[i] = corner + extent * Vec3(at(10 + 3 * i), at(11 + 3 * i), at(12 + 3 * i));
          id[i] = i;
        }
        inside.position = std::move(position);
        inside.id = std::move(id);
        for (const float v : maskValues({}, mask, inside)) QCOMPARE(v, 0.0F);
      }
    }
    if (kind().id == "height" || kind().id == "distance") QVERIFY2(empty > 20, qPrintable(QString::number(empty)));
  }

  void raisingTheAmountOnlyAdds_data() { everyKind(); }
  void raisingTheAmountOnlyAdds() {
    if (kind().amountParam.empty() || !kind().exemptions.nestsInAmount) return;
    std::map<std::uint64_t, std::vector<std::uint64_t>> before;
    const bool isWhole = kind().findParam(kind().amountParam)->type == ParamType::Integer;
    for (double amount : {0.3, 1.0, 1.1, 4.0}) {
      if (isWhole) amount *= 10;
      test::Bench bench;
      ParamMap params = kind().trial.params;
      params[kind().amountParam] = amount;
      const PointsPtr now = bench.points(kind().id, inputsFor(kind(), pointsOnGround()), params);
      std::map<std::uint64_t, std::vector<std::uint64_t>> after;
      for (std::size_t i = 0; i < now->count; ++i)
        after[now->id[i]] = fingerprint(
            std::make_shared<const Points>(gathered(*now, {static_cast<std::uint32_t>(i)})));
      QVERIFY(after.size() > before.size());
      for (const auto& [id, print] : before) {
        QVERIFY2(after.contains(id), "a point went away when the amount was raised");
        QVERIFY2(after.at(id) == print, "a point changed when the amount was raised");
      }
      before = std::move(after);
    }
  }

  /// What a node makes carries the node's uid: two of a kind over the same inputs share no id of their own making.
  void noTwoNodesMakeTheSameId_data() { everyKind(); }
  void noTwoNodesMakeTheSameId() {
    const Inputs in = inputsFor(kind(), pointsOnGround());
    std::set<std::uint64_t> given;
    for (const auto& [id, links] : in.links)
      for (const Inputs::Link& link : links)
        if (const auto* points = std::get_if<PointsPtr>(&link.value))
          for (std::size_t i = 0; i < (*points)->count; ++i) given.insert((*points)->id[i]);
    for (const ParamMap& params : choicesOf(kind())) {
      const auto madeBy = [&](const char* uid) {
        test::Bench bench;
        bench.ctx.nodeUid = hashText(uid);
        std::set<std::uint64_t> made;
        if (const auto out = bench.run(kind().id, in, params))
          for (const std::uint64_t id : idsOf(*out))
            if (!given.contains(id)) made.insert(id);
        return made;
      };
      const std::set<std::uint64_t> one = madeBy("one");
      if (one.empty()) continue;
      for (const std::uint64_t id : madeBy("other")) QVERIFY2(!one.contains(id), "two nodes made the same id");
    }
  }

  void anEditOfGroundStaysInItsReach_data() {
    QTest::addColumn<QString>("way");
    QTest::addColumn<float>("reach");
    QTest::newRow("free: no reach") << "free" << 0.01F;
    QTest::newRow("even: some spacings") << "even" << 12 * 0.5F;
  }
  void anEditOfGroundStaysInItsReach() {
    QFETCH(QString, way);
    QFETCH(float, reach);
    Surface other = *ground();
    const Vec3 corner(-20, 0, -20);
    float changed = 0;
    for (Vec3& p : other.positions.edit())
      if (glm::length(Vec2(p.x - corner.x, p.z - corner.z)) < 8) {
        changed = std::max(changed, glm::length(Vec2(p.x - corner.x, p.z - corner.z)));
        p.y += 1.5F;
      }
    const ParamMap params{{"way", way.toStdString()}, {"density", 4.0}, {"spacing", 0.5}};
    test::Bench bench;
    const PointsPtr a = bench.points("sow-on-surface", test::inputs({{"surface", ground()}}), params);
    const PointsPtr b = bench.points("sow-on-surface",
                                     test::inputs({{"surface", std::make_shared<const Surface>(other)}}), params);
    const auto places = placesById(*b);
    const float faceSize = 40.0F / 48 * 1.5F;
    std::size_t outside = 0;
    for (std::size_t i = 0; i < a->count; ++i) {
      if (glm::length(Vec2(a->position[i].x - corner.x, a->position[i].z - corner.z)) < changed + faceSize + reach)
        continue;
      ++outside;
      QVERIFY2(places.contains(a->id[i]), "a point outside the reach of the edit went away");
      QCOMPARE(b->position[places.at(a->id[i])], a->position[i]);
    }
    QVERIFY(outside > 1000);
    QVERIFY(findDifference(*a, *b));  // and the edit did change something
  }

  // Clearance declares that chains of conflicts have no strict bound: here a change at one end of a line shows at the
  // other.
  void clearanceChainsAsDeclared() {
    const NodeKind& k = *findNodeKind("clearance");
    QVERIFY(!k.exemptions.isLocal && !k.exemptions.nestsInAmount);
    const auto line = [](std::size_t count, std::size_t from) {
      Points p;
      p.count = count;
      Array<Vec3> position;
      Array<std::uint64_t> id;
      for (std::size_t i = from; i < from + count; ++i) {
        position.push_back({static_cast<float>(i) * 0.9F, 0, 0});
        id.push_back(i + 1);
      }
      p.position = std::move(position);
      p.id = std::move(id);
      p.footprint = Column<float>(0.5F);
      return std::make_shared<const Points>(p);
    };
    test::Bench bench;
    const ParamMap params{{"stays", std::string("earlier")}};
    const PointsPtr whole = bench.points("clearance", test::inputs({{"points", line(101, 0)}}), params);
    const PointsPtr shorter = bench.points("clearance", test::inputs({{"points", line(100, 1)}}), params);
    QVERIFY(placesById(*whole).contains(101));
    QVERIFY(!placesById(*shorter).contains(101));
  }

  // Even says in its help that it does not nest in its spacing: here is a point that a smaller spacing takes away.
  void evenDoesNotNestAsDeclared() {
    QVERIFY(QString::fromStdString(findNodeKind("sow-on-surface")->help).contains(QStringLiteral("does not nest")));
    test::Bench bench;
    const auto in = test::inputs({{"surface", ground()}});
    const PointsPtr wide = bench.points("sow-on-surface", in, {{"way", std::string("even")}, {"spacing", 1.0}});
    const PointsPtr narrow = bench.points("sow-on-surface", in, {{"way", std::string("even")}, {"spacing", 0.9}});
    const auto places = placesById(*narrow);
    std::size_t gone = 0;
    for (std::size_t i = 0; i < wide->count; ++i) gone += !places.contains(wide->id[i]);
    QVERIFY(narrow->count > wide->count && gone > 0);
  }

  void cancellingIsHonored_data() { everyKind(); }
  void cancellingIsHonored() {
    const Inputs in = inputsFor(kind(), pointsOnGround());
    for (const ParamMap& params : choicesOf(kind())) {
      test::Bench bench;
      if (!bench.run(kind().id, in, params)) continue;
      std::stop_source stop;
      stop.request_stop();
      bench.ctx.task.stop = stop.get_token();
      const auto out = bench.run(kind().id, in, params);
      // What is too quick to be cancelled may finish; what does not finish says that it was cancelled.
      QVERIFY2(out || out.error().code == ProblemCode::Cancelled, out ? "" : toLine(out.error()).c_str());
    }
  }
};

QTEST_GUILESS_MAIN(TestContract)
#include "tst_contract.moc"
