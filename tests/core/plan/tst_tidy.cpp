// Where cards stand: nothing meets, chains run down, beds hold their own, the whole shows as large as it can.
#include "core/formats/plan_file.h"
#include "core/plan/tidy.h"
#include "tests/support/plans.h"

#include <algorithm>

using namespace arvesk;

namespace {

double some(std::mt19937& random, unsigned below) { return static_cast<double>(random() % below); }

bool isCard(const Node& n) {
  const NodeKind* kind = kindOf(n);
  return kind && (kind->outputs.empty() ||
                  (kind->outputs.front().type != ValueType::Mask && kind->outputs.front().type != ValueType::Kit));
}

CardRooms someRooms(const Plan& plan, std::mt19937& random) {
  CardRooms rooms;
  for (const Node& n : plan.nodes)
    if (isCard(n))
      rooms[n.uid] = {random() % 3 ? 104.0 : 0.0, random() % 2 ? 104.0 : 0.0, 208, 26.0 + some(random, 220)};
  return rooms;
}

void scatter(Plan& plan, std::mt19937& random) {
  for (Node& n : plan.nodes) {
    n.x = some(random, 1200);
    n.y = some(random, 900);
  }
}

PlanRect bedRect(const PaperItem& b) { return {b.x, b.y, b.width, b.height}; }

std::string meeting(const Plan& plan, const CardRooms& rooms) {
  for (std::size_t i = 0; i < plan.nodes.size(); ++i)
    for (std::size_t k = i + 1; k < plan.nodes.size(); ++k) {
      const Node& a = plan.nodes[i];
      const Node& b = plan.nodes[k];
      if (rooms.contains(a.uid) && rooms.contains(b.uid) &&
          rectOf(a, rooms.at(a.uid)).meets(rectOf(b, rooms.at(b.uid))))
        return a.uid + " / " + b.uid;
    }
  return {};
}

PlanRect around(const Plan& plan, const CardRooms& rooms) {
  double left = 1e9, top = 1e9, right = -1e9, bottom = -1e9;
  const auto add = [&](const PlanRect& r) {
    left = std::min(left, r.x);
    top = std::min(top, r.y);
    right = std::max(right, r.right());
    bottom = std::max(bottom, r.bottom());
  };
  for (const Node& n : plan.nodes)
    if (rooms.contains(n.uid)) add(rectOf(n, rooms.at(n.uid)));
  for (const PaperItem& b : plan.paper) add(bedRect(b));
  return {left, top, right - left, bottom - top};
}

}  // namespace

class TestTidy : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// Random plans with beds and notes, random rooms, panes of every shape.
  void nothingMeets() {
    std::mt19937 random(20);
    int beds = 0;
    for (int round = 0; round < 120; ++round) {
      Plan plan = test::randomPlan(random);
      scatter(plan, random);
      for (int b = 0; b < round % 5; ++b)
        plan.paper.push_back({"bed" + std::to_string(b),
                              PaperItem::Sort::Bed,
                              "Bed",
                              some(random, 900),
                              some(random, 700),
                              300,
                              400,
                              {}});
      for (int b = 0; b < round % 3; ++b)
        plan.paper.push_back({"note" + std::to_string(b),
                              PaperItem::Sort::Note,
                              "Note",
                              some(random, 1500),
                              some(random, 700),
                              200,
                              76,
                              {}});
      const CardRooms rooms = someRooms(plan, random);
      std::map<std::string, std::string> bedOf;
      for (const Node& n : plan.nodes)
        for (const PaperItem& item : plan.paper)
          if (item.sort == PaperItem::Sort::Bed && rooms.contains(n.uid) && liesOn(n, item))
            bedOf.try_emplace(n.uid, item.uid);
      const double width = 200.0 + some(random, 1800);
      const double height = 200.0 + some(random, 1800);
      tidyPlan(plan, rooms, width, height);
      const std::string met = meeting(plan, rooms);
      QVERIFY2(met.empty(), met.c_str());
      for (const PaperItem& item : plan.paper) {
        for (const PaperItem& other : plan.paper)
          if (item.uid < other.uid && item.sort == other.sort) QVERIFY(!bedRect(item).meets(bedRect(other)));
        for (const Node& n : plan.nodes) {
          if (!rooms.contains(n.uid)) continue;
          const PlanRect room = rectOf(n, rooms.at(n.uid));
          if (item.sort == PaperItem::Sort::Note) {
            QVERIFY(!bedRect(item).meets(room));
            continue;
          }
          const bool isOwn = bedOf.contains(n.uid) && bedOf[n.uid] == item.uid;
          QCOMPARE(liesOn(n, item), isOwn);
          QCOMPARE(bedRect(item).meets(room), isOwn);
          if (isOwn) {
            QVERIFY(room.x >= item.x && room.right() <= item.x + item.width && room.y >= item.y + 24 &&
                    room.bottom() <= item.y + item.height);
            ++beds;
          }
        }
      }
      // Twice is once.
      Plan again = plan;
      tidyPlan(again, rooms, width, height);
      QVERIFY(again == plan);
    }
    QVERIFY(beds > 100);
  }

  /// Within a bed or a chain, what is taken from stands above.
  void chainsRunDown() {
    std::mt19937 random(7);
    int links = 0;
    for (int round = 0; round < 60; ++round) {
      Plan plan = test::randomPlan(random);
      scatter(plan, random);
      const CardRooms rooms = someRooms(plan, random);
      tidyPlan(plan, rooms, 440, 700);
      for (const Node& n : plan.nodes) {
        const NodeKind* kind = kindOf(n);
        if (!rooms.contains(n.uid) || kind->inputs.empty()) continue;
        const auto in = n.inputs.find(kind->inputs.front().id);
        if (in == n.inputs.end()) continue;
        for (const Link& l : in->second)
          if (const Node* source = plan.find(l.node); source && rooms.contains(l.node)) {
            QVERIFY(source->y + rooms.at(l.node).height < n.y);
            ++links;
          }
      }
    }
    QVERIFY(links > 100);
  }

  /// The demo fills its pane, wide or high, far better than in one line; and a loop, which files may hold, ends.
  void fillsThePane() {
    const auto read = loadPlan(test::sourcePath("demo/tern-cove/tern-cove.arvesk").toStdString());
    QVERIFY(read);
    std::mt19937 random(1);
    for (const auto& [width, height] : {std::pair(442.0, 690.0), {1280.0, 700.0}, {1900.0, 400.0}, {300.0, 1400.0}}) {
      Plan plan = *read;
      CardRooms rooms;
      for (const Node& n : plan.nodes)
        if (isCard(n)) rooms[n.uid] = {104, 104, 208, 80};
      tidyPlan(plan, rooms, width, height);
      const PlanRect all = around(plan, rooms);
      const double scale = std::min(width / all.width, height / all.height);
      double taken = 0;
      for (const PaperItem& b : plan.paper) taken += b.sort == PaperItem::Sort::Bed ? b.width * b.height : 0;
      for (const Node& n : plan.nodes)
        if (rooms.contains(n.uid) && std::none_of(plan.paper.begin(), plan.paper.end(), [&](const PaperItem& b) {
              return b.sort == PaperItem::Sort::Bed && liesOn(n, b);
            }))
          taken += 416 * 80;
      // A bed is as wide as its columns, which a narrow strip cannot change.
      QVERIFY2(
          taken * scale * scale > (width > 400 ? 0.45 : 0.25) * width * height,
          qPrintable(QStringLiteral("%1 × %2: %3").arg(width).arg(height).arg(taken * scale * scale / width / height)));
    }
    Plan loop = test::planOf({test::node("a", "orient", {}, {{"points", "b"}}),
                              test::node("b", "orient", {}, {{"points", "c"}}),
                              test::node("c", "orient", {}, {{"points", "a"}})});
    const CardRooms rooms = someRooms(loop, random);
    tidyPlan(loop, rooms, 400, 400);
    QVERIFY(meeting(loop, rooms).empty());
    Plan empty;
    tidyPlan(empty, {}, 0, 0);
    QVERIFY(empty == Plan());
  }

  /// Some cards are put in order where they are, off all others; one alone too, and its bed grows with it.
  void someCardsAlone() {
    std::mt19937 random(11);
    for (int round = 0; round < 80; ++round) {
      Plan plan = test::randomPlan(random);
      const CardRooms rooms = someRooms(plan, random);
      tidyPlan(plan, rooms, 800, 800);
      std::set<std::string> few;
      for (const Node& n : plan.nodes)
        if (rooms.contains(n.uid) && (few.empty() || random() % 4 == 0)) few.insert(n.uid);
      for (Node& n : plan.nodes)
        if (few.contains(n.uid)) n.x = n.y = 200;  // a heap, on what is there
      const Plan before = plan;
      tidyCards(plan, few, rooms);
      const std::string met = meeting(plan, rooms);
      QVERIFY2(met.empty(), met.c_str());
      for (const Node& n : plan.nodes)
        if (!few.contains(n.uid))
          QCOMPARE(std::pair(n.x, n.y), std::pair(before.find(n.uid)->x, before.find(n.uid)->y));
    }
    Plan plan = test::planOf({test::node("a", "orient"), test::node("b", "orient")});
    plan.nodes[0].x = plan.nodes[1].x = 120;
    plan.nodes[0].y = 40;
    plan.nodes[1].y = 60;
    plan.paper.push_back({"bed", PaperItem::Sort::Bed, "Bed", 0, 0, 440, 130, {}});
    const CardRooms rooms{{"a", {104, 104, 208, 48}}, {"b", {104, 104, 208, 48}}};
    tidyCards(plan, {"b"}, rooms);
    QVERIFY(meeting(plan, rooms).empty());
    const PlanRect room = rectOf(plan.nodes[1], rooms.at("b"));
    const PaperItem& bed = plan.paper.front();
    QVERIFY(room.x >= bed.x && room.right() <= bed.x + bed.width && room.bottom() <= bed.y + bed.height);
  }

  /// The nearest free place is found: against trying all on a grid.
  void freePlaceIsNearest() {
    std::mt19937 random(3);
    for (int round = 0; round < 60; ++round) {
      std::vector<PlanRect> taken;
      for (int i = 0; i < round % 9; ++i)
        taken.push_back({some(random, 600), some(random, 600), 40.0 + some(random, 200), 20.0 + some(random, 100)});
      const PlanRect wanted{some(random, 600), some(random, 600), 120, 60};
      const PlanRect found = freePlace(taken, wanted);
      QVERIFY(std::none_of(taken.begin(), taken.end(), [&](const PlanRect& t) { return t.meets(found); }));
      const auto away = [&](double x, double y) { return std::hypot(x - wanted.x, y - wanted.y); };
      double least = 1e9;
      for (double x = -400; x < 1200; x += 5)
        for (double y = -400; y < 1200; y += 5)
          if (const PlanRect at{x, y, 120, 60};
              std::none_of(taken.begin(), taken.end(), [&](const PlanRect& t) { return t.meets(at); }))
            least = std::min(least, away(x, y));
      QVERIFY2(away(found.x, found.y) <= least + 50, "with its gaps, about as near as can be");
    }
  }
};

QTEST_GUILESS_MAIN(TestTidy)
#include "tst_tidy.moc"
