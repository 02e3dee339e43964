// Every kind at the ends of what it may be given: parameters at their limits, empty and poor inputs, a cancel in the
// middle, a limit on points. Nothing crashes, nothing that is not a number comes out, and what cannot be done is said
// with advice.
#include "tests/support/kinds.h"

#include <chrono>
#include <condition_variable>
#include <ctime>
#include <mutex>
#include <set>
#include <thread>

using namespace arvesk;
using namespace arvesk::test;

namespace {

/// What is wrong with an output, or empty.
std::string faultOfOutputs(const Outputs& outputs) {
  for (const Value& v : outputs) {
    if (const auto* points = std::get_if<PointsPtr>(&v)) {
      if (const auto fault = findFault(**points)) return *fault;
      std::set<std::uint64_t> ids;
      for (std::size_t i = 0; i < (*points)->count; ++i)
        if (!ids.insert((*points)->id[i]).second) return "an id twice";
    }
    if (const auto* surface = std::get_if<SurfacePtr>(&v))
      if (const auto ok = checkSurface(**surface); !ok) return toLine(ok.error());
    if (const auto* mask = std::get_if<MaskPtr>(&v))
      for (const float value : maskValues({}, **mask, *pointsOnGround()))
        if (!(value >= 0 && value <= 1)) return "a mask value outside 0 to 1";
  }
  return {};
}

std::string named(const ParamMap& params) {
  std::string out;
  for (const auto& [id, value] : params)
    out += " " + id +
           (std::get_if<double>(&value)        ? "=" + std::to_string(std::get<double>(value))
            : std::get_if<std::string>(&value) ? "=" + std::get<std::string>(value)
                                               : "");
  return out;
}

/// The extreme values of a parameter.
std::vector<ParamValue> endsOf(const ParamSpec& spec) {
  const double low = spec.hardMin;
  const double high = spec.hardMax;
  switch (spec.type) {
    case ParamType::Toggle: return {false, true};
    case ParamType::Number:
    case ParamType::Integer: return {low, high, spec.usualMin, spec.usualMax};
    case ParamType::Vector:
      return {std::vector<double>{low, low, low}, std::vector<double>{high, low, high}, std::vector<double>{0, 0, 0}};
    case ParamType::Range:
      return {std::vector<double>{low, low}, std::vector<double>{low, high}, std::vector<double>{high, high},
              std::vector<double>{high, low}};
    case ParamType::Band:
      return {std::vector<double>{low, low, low, low}, std::vector<double>{low, low, high, high},
              std::vector<double>{high, high, high, high}};
    case ParamType::Choice: {
      std::vector<ParamValue> out;
      for (const Option& o : spec.options) out.push_back(o.id);
      return out;
    }
    case ParamType::Text:
      return {std::string(), std::string("*"), std::string("\n\t\xc3\xa9\xe2\x82\xac"), std::string(5000, 'x')};
    case ParamType::Curve: return {std::vector<double>{0, 0, 1, 1}, std::vector<double>{0, 1, 0, 0, 1, 1, 1, 0}};
    case ParamType::Strokes: return {std::vector<double>{}, std::vector<double>{1e4, 1e4, 1e4, 0.001, 1, 1}};
    case ParamType::Faces: return {std::vector<double>{}, std::vector<double>{4e9}};
    case ParamType::Points: {
      HandPoint far;
      far.place = Vec3(1e6F);
      far.normal = Vec3(1, 0, 0);
      far.size = Vec3(0);
      return {HandPoints(), HandPoints{SharedList<HandPoint>({far}), {}, {GroundPiece{}}}};
    }
    case ParamType::Touches: {
      TouchUp far;
      far.at = far.move = Vec3(1e6F);
      far.isKept = true;
      far.size = far.sized = Vec3(0);
      far.normal = Vec3(1, 0, 0);
      return {TouchUps(), TouchUps{SharedList<TouchUp>({far}), {}}};
    }
    case ParamType::File:
    case ParamType::Props: return {};
  }
  return {};
}

/// The same inputs with all sets of points cut down to some.
Inputs withPoints(const Inputs& in, const Array<std::uint32_t>& some) {
  Inputs out = in;
  for (auto& [id, links] : out.links)
    for (auto& link : links)
      if (const auto* points = std::get_if<PointsPtr>(&link.value)) {
        Array<std::uint32_t> there;
        for (const std::uint32_t i : some)
          if (i < (*points)->count) there.push_back(i);
        link.value = std::make_shared<const Points>(gathered(**points, there));
      }
  return out;
}

/// A surface that real files hold: a face without area, a vertex nobody uses, a part far away.
SurfacePtr poorSurface() {
  Surface s = *ground();
  s.normals.clear();
  s.uvs.clear();
  const auto n = static_cast<std::uint32_t>(s.positions.size());
  for (const Vec3& p :
       {Vec3(0, 5, 0), Vec3(0, 5, 0), Vec3(1e4F, 0, 0), Vec3(1e4F, 0, 1), Vec3(1e4F + 1, 0, 0), Vec3(3)})
    s.positions.edit().push_back(p);
  s.triangles.edit().push_back({n, n + 1, n});
  s.triangles.edit().push_back({n + 2, n + 3, n + 4});
  return std::make_shared<const Surface>(s);
}

}  // namespace

class TestEnds : public EveryKind {
  Q_OBJECT

 private:
  /// Runs the kind; what it makes must be whole, and what it refuses must be said.
  void tryIt(const Inputs& in, const ParamMap& params, std::size_t limit = 100'000) {
    test::Bench bench;
    bench.ctx.limits.points = limit;
    // Of the processors, not of the clock: the machine may be busy.
    const std::clock_t start = std::clock();
    const auto out = bench.run(kind().id, in, params);
    const double took = static_cast<double>(std::clock() - start) / CLOCKS_PER_SEC;
    QVERIFY2(took < 180, ("takes for ever with" + named(params)).c_str());
    if (out)
      QVERIFY2(faultOfOutputs(*out).empty(), (faultOfOutputs(*out) + " with" + named(params)).c_str());
    else
      QVERIFY2(!out.error().message.empty() && out.error().code != ProblemCode::Internal,
               ("no reason with" + named(params)).c_str());
  }

 private Q_SLOTS:
  void parametersAtTheirLimits_data() { everyKind(); }
  void parametersAtTheirLimits() {
    Array<std::uint32_t> some;
    for (std::uint32_t i = 0; i < 400; ++i) some.push_back(i * 7);
    const Inputs in = withPoints(inputsFor(kind(), pointsOnGround()), some);
    for (const ParamSpec& spec : kind().params)
      for (const ParamValue& value : endsOf(spec)) {
        if (!faultOf(spec, value).empty()) continue;  // refused before it is evaluated
        ParamMap params = kind().trial.params;
        params[spec.id] = value;
        if (!spec.countedBy.empty()) params[spec.countedBy] = kind().findParam(spec.countedBy)->hardMax;
        if (!spec.shownBy.empty()) {  // or it would not count
          const ParamSpec* by = kind().findParam(spec.shownBy);
          params[by->id] = by->type == ParamType::Toggle ? ParamValue(spec.shownFor.front() == "on")
                                                         : ParamValue(spec.shownFor.front());
        }
        tryIt(in, params);
        if (QTest::currentTestFailed()) return;
      }
  }

  void poorInputs_data() { everyKind(); }
  void poorInputs() {
    const Inputs full = inputsFor(kind(), pointsOnGround());
    const ParamMap params = kind().trial.params;
    tryIt(withPoints(full, {}), params);
    tryIt(withPoints(full, {7}), params);
    Inputs poor = withPoints(full, {1, 2, 3, 5, 8, 13, 21, 34});
    Inputs bare = full;
    for (auto& [id, links] : poor.links)
      for (auto& link : links) {
        if (std::holds_alternative<SurfacePtr>(link.value)) link.value = poorSurface();
        if (std::holds_alternative<KitPtr>(link.value)) link.value = std::make_shared<const Kit>();
      }
    tryIt(poor, params);
    for (const InputSpec& spec : kind().inputs)
      if (spec.isOptional) bare.links.erase(spec.id);
    tryIt(bare, params);
    // All at one place: nothing has a direction, a nearest neighbor or an extent.
    Inputs heap = full;
    for (auto& [id, links] : heap.links)
      for (auto& link : links)
        if (const auto* points = std::get_if<PointsPtr>(&link.value)) {
          Points p = **points;
          p.position = Column<Vec3>(Vec3(1, 2, 3));
          p.count = std::min<std::size_t>(p.count, 50);
          Array<std::uint32_t> first;
          for (std::uint32_t i = 0; i < p.count; ++i) first.push_back(i);
          p.count = (*points)->count;
          link.value = std::make_shared<const Points>(gathered(p, first));
        }
    tryIt(heap, params);
  }

  void aCancelEndsTheWork_data() { everyKind(); }
  void aCancelEndsTheWork() {
    const Inputs in = inputsFor(kind(), pointsOnGround());
    // Before it begins, and while it runs: it says so, or was done already.
    for (const int microseconds : {0, 50, 400}) {
      test::Bench bench;
      std::stop_source stop;
      bench.ctx.task.stop = stop.get_token();
      if (microseconds == 0) stop.request_stop();
      std::jthread stopper([&] {
        std::this_thread::sleep_for(std::chrono::microseconds(microseconds));
        stop.request_stop();
      });
      const auto out = bench.run(kind().id, in, kind().trial.params);
      if (!out) QVERIFY2(out.error().code == ProblemCode::Cancelled, toLine(out.error()).c_str());
    }
  }

  /// Of kinds that take a while: a cancel after a quarter of it ends them before three quarters. Shares of what the
  /// same machine has just taken for the whole, and the best of five tries, since it may be busy.
  void aCancelIsHeardInTime_data() { everyKind(); }
  void aCancelIsHeardInTime() {
    if (kind().id == "bake-to-mesh") return;  // its limit of triangles comes first
    static const PointsPtr many = [] {
      test::Bench bench;
      return bench.points("sow-on-surface", test::inputs({{"surface", ground()}}), {{"density", 150.0}});
    }();
    // So many that settle on each other or push each other, all within each other at first, take minutes.
    const bool isHeavy = kind().id == "hit" || kind().id == "make-room";
    const Inputs in = inputsFor(kind(), isHeavy ? pointsOnGround() : many);
    ParamMap params = kind().trial.params;
    if (kind().id == "sow-on-surface") params = {{"way", std::string("even")}, {"spacing", 0.07}};
    const auto timeOf = [&](double cancelAfter) {
      test::Bench bench;
      std::stop_source stop;
      bench.ctx.task.stop = stop.get_token();
      std::mutex mutex;
      std::condition_variable_any wake;
      std::jthread stopper([&](std::stop_token ended) {
        if (cancelAfter <= 0) return;
        std::unique_lock lock(mutex);
        wake.wait_for(lock, ended, std::chrono::duration<double, std::milli>(cancelAfter), [] { return false; });
        stop.request_stop();
      });
      const auto start = std::chrono::steady_clock::now();
      (void)bench.run(kind().id, in, params);
      return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
    };
    (void)timeOf(0);  // what is made once for all runs: an index, a tree
    double whole = 0;
    double cut = 0;
    for (int attempt = 0; attempt < 5; ++attempt) {
      whole = timeOf(0);
      if (whole < 60) return;
      cut = timeOf(whole / 4);
      if (cut < 0.75 * whole) return;
    }
    QFAIL(qPrintable(QStringLiteral("%1 of %2 ms, cancelled after a quarter").arg(cut).arg(whole)));
  }

  /// Whoever would make more points than allowed says how many and what to change, before it takes the memory.
  void limitsOnPointsAreKept_data() { everyKind(); }
  void limitsOnPointsAreKept() {
    if (kind().family == Family::Mask) return;
    const std::size_t limit = 40;
    test::Bench bench;
    bench.ctx.limits.points = limit;
    const auto out = bench.run(kind().id, inputsFor(kind(), pointsOnGround()), kind().trial.params);
    if (!out) {
      QCOMPARE(out.error().code, ProblemCode::TooMany);
      QVERIFY2(out.error().message.find_first_of("0123456789") != std::string::npos, out.error().message.c_str());
      QVERIFY(!out.error().advice.empty());
      return;
    }
    // What only passes on, thins or changes points makes none.
    for (const Value& v : *out)
      if (const auto* points = std::get_if<PointsPtr>(&v); points && (*points)->count > limit) {
        std::set<std::uint64_t> given;
        for (const auto& [id, links] : inputsFor(kind(), pointsOnGround()).links)
          for (const auto& link : links)
            if (const auto* p = std::get_if<PointsPtr>(&link.value))
              for (std::size_t i = 0; i < (*p)->count; ++i) given.insert((*p)->id[i]);
        QVERIFY2((*points)->count <= given.size(), "more points than were given, and than are allowed");
      }
  }
};

QTEST_GUILESS_MAIN(TestEnds)
#include "tst_ends.moc"
