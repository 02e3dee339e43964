// The JSON Schema in docs/format against what is really written: the demo's plans, and one that uses every key.
#include "core/formats/plan_file.h"
#include "tests/support/support.h"

#include <QDirIterator>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QRegularExpression>

using namespace arvesk;

namespace {

/// The part of JSON Schema 2020-12 that ours uses. Faults are told with their path; keys that the schema does not name
/// count as one.
class Checker {
 public:
  explicit Checker(QJsonObject root) : m_root(std::move(root)) {}
  QStringList faults(const QJsonValue& value) {
    m_faults.clear();
    check(m_root, value, QStringLiteral("plan"));
    return m_faults;
  }

 private:
  static bool isOf(const QString& type, const QJsonValue& v) {
    if (type == QStringLiteral("object")) return v.isObject();
    if (type == QStringLiteral("array")) return v.isArray();
    if (type == QStringLiteral("string")) return v.isString();
    if (type == QStringLiteral("boolean")) return v.isBool();
    if (type == QStringLiteral("integer")) return v.isDouble() && v.toDouble() == std::floor(v.toDouble());
    return type == QStringLiteral("number") && v.isDouble();
  }
  void check(QJsonObject schema, const QJsonValue& v, const QString& path) {
    if (schema.contains(QStringLiteral("$ref")))
      schema = m_root[QStringLiteral("$defs")]
                   .toObject()[schema[QStringLiteral("$ref")].toString().section(QLatin1Char('/'), -1)]
                   .toObject();
    const auto fault = [&](const QString& what) { m_faults.push_back(path + QStringLiteral(": ") + what); };
    if (schema.contains(QStringLiteral("anyOf"))) {
      const QStringList before = m_faults;
      for (const QJsonValue& option : schema.value(QStringLiteral("anyOf")).toArray()) {
        m_faults = before;
        check(option.toObject(), v, path);
        if (m_faults == before) return;
      }
      return fault(QStringLiteral("fits no alternative"));
    }
    if (schema.contains(QStringLiteral("const")) && schema.value(QStringLiteral("const")) != v)
      fault(QStringLiteral("is not the constant"));
    if (schema.contains(QStringLiteral("enum")) && !schema.value(QStringLiteral("enum")).toArray().contains(v))
      fault(QStringLiteral("is none of the values"));
    if (const QJsonValue type = schema.value(QStringLiteral("type")); !type.isUndefined()) {
      bool fits = false;
      for (const QJsonValue& t : type.isArray() ? type.toArray() : QJsonArray{type})
        fits = fits || isOf(t.toString(), v);
      if (!fits) return fault(QStringLiteral("has the wrong type"));
    }
    if (v.isDouble() && schema.contains(QStringLiteral("minimum")) &&
        v.toDouble() < schema.value(QStringLiteral("minimum")).toDouble())
      fault(QStringLiteral("is below the minimum"));
    if (v.isString() && schema.contains(QStringLiteral("pattern")) &&
        !QRegularExpression(schema.value(QStringLiteral("pattern")).toString()).match(v.toString()).hasMatch())
      fault(QStringLiteral("does not match the pattern"));
    if (v.isArray()) {
      const QJsonArray items = v.toArray();
      if (items.size() < schema.value(QStringLiteral("minItems")).toInt(0) ||
          items.size() > schema.value(QStringLiteral("maxItems")).toInt(1 << 30))
        fault(QStringLiteral("has the wrong length"));
      for (int i = 0; i < items.size(); ++i)
        check(schema.value(QStringLiteral("items")).toObject(), items[i], QStringLiteral("%1[%2]").arg(path).arg(i));
    }
    if (v.isObject()) {
      const QJsonObject object = v.toObject();
      const QJsonObject properties = schema.value(QStringLiteral("properties")).toObject();
      for (const QJsonValue& name : schema.value(QStringLiteral("required")).toArray())
        if (!object.contains(name.toString())) fault(QStringLiteral("lacks ") + name.toString());
      for (auto it = object.begin(); it != object.end(); ++it) {
        if (properties.contains(it.key()))
          check(properties[it.key()].toObject(), it.value(), path + QLatin1Char('.') + it.key());
        else if (schema.contains(QStringLiteral("additionalProperties")))
          check(schema.value(QStringLiteral("additionalProperties")).toObject(), it.value(),
                path + QLatin1Char('.') + it.key());
        else if (!schema.isEmpty())
          fault(QStringLiteral("has a key that the schema does not name: ") + it.key());
      }
    }
  }
  QJsonObject m_root;
  QStringList m_faults;
};

QJsonObject readJson(const QString& path) {
  QFile file(path);
  if (!file.open(QIODevice::ReadOnly)) return {};
  return QJsonDocument::fromJson(file.readAll()).object();
}

}  // namespace

class TestSchema : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void theDemosFit() {
    Checker checker(readJson(test::sourcePath("docs/format/plan.schema.json")));
    int plans = 0;
    for (QDirIterator it(test::sourcePath("demo"), {QStringLiteral("*.arvesk")}, QDir::Files,
                         QDirIterator::Subdirectories);
         it.hasNext(); ++plans) {
      const QString path = it.next();
      const QStringList faults = checker.faults(readJson(path));
      QVERIFY2(faults.isEmpty(), qPrintable(path + QLatin1Char('\n') + faults.join(QLatin1Char('\n'))));
    }
    QVERIFY(plans >= 3);
  }

  void everyKeyThatIsWrittenIsNamed() {
    Plan plan;
    Node n;
    n.uid = "a";
    n.kind = "sow-on-surface";
    n.title = "Sow";
    n.isSkipped = n.isFolded = n.isSeedLocked = true;
    n.seed = 7;
    n.params = {{"density", 2.0}, {"way", std::string("even")}, {"spacings", std::vector<double>{1, 2}}};
    n.follows = {{"spacing", "apart * 2"}};
    n.keys["density"] = {{{1, 2.0, Easing::Free, 1, 0.5}, {9, 3.0, Easing::Held}}, Beyond::Loop, Beyond::Mirror};
    n.inputs["surface"] = {{"b", "surface", "slot"}};
    plan.nodes.push_back(n);
    PropEntry prop;
    prop.uid = "p";
    prop.name = "Prop";
    prop.file = "p.glb";
    prop.partBy = PartBy::Below;
    prop.part = "rocks";
    prop.lightFile = "light.glb";
    prop.isByReference = true;
    prop.deliveredFile = "whole.usda";
    prop.unitScale = 0.01;
    prop.isZUp = true;
    prop.pivot = PivotAt::Center;
    prop.commonHeight = 2;
    prop.size = 1.5;
    prop.turnDeg = {0, 90, 0};
    prop.footprint = 0.5;
    prop.base = 0.2;
    prop.weight = 2;
    prop.tags = "rock wet";
    prop.creaseDeg = 40;
    prop.isMassingBox = false;
    prop.massingTriangles = 500;
    prop.isMassingShown = true;
    prop.isLargeMeant = true;
    prop.mounts = {{"mount_top", {0, 1, 0}, {0, 45, 0}, 1.5}};
    prop.values = {{"wet", ValueInto::Named, ValueBy::Hollows, 0.1, 0.4, 0.2, 45, {0, 0, 1}},
                   {{}, ValueInto::Gray, ValueBy::EdgeDistance, 0.1, 0, 0.1, 20, {0, 1, 0}}};
    plan.props.push_back(prop);
    plan.settings.budgets["all"] = {1000, 2000};
    plan.dials.push_back({"d", "apart", 1, 2, {}, {{{1, 2.0}}}});
    plan.settings.time = PlanTime{1, 48, 25};
    plan.paper.push_back({"bed", PaperItem::Sort::Bed, "Dunes", 1, 2, 300, 200, {}});
    plan.paper.push_back({"note", PaperItem::Sort::Note, "Look here", 1, 2, 300, 200, {}});
    plan.settings.hasWater = true;
    plan.settings.cameras.push_back({});
    SubPlan tool;
    tool.uid = "tool";
    tool.name = "Reeds";
    tool.sentence = "{wide} apart";
    tool.help = "Reeds at a rim.";
    tool.author = "A. Maker";
    tool.license = "CC0";
    tool.tags = "plants wet";
    tool.category = "Growth";
    tool.news = "Wider";
    tool.version = 2;
    tool.checks = {{"reeds > 0", "No reed stands"}};
    plan.tool = "tool";
    FrontControl front{"wide",
                       ParamType::Choice,
                       "Wide",
                       "How far.",
                       "Where",
                       Unit::Meter,
                       0,
                       9,
                       1,
                       5,
                       0.5,
                       {{"a", "A"}, {"b", "B"}},
                       TextForm::Ramp,
                       "image",
                       "other",
                       {"on"},
                       std::string("b"),
                       {}};
    FrontControl other;
    other.id = other.label = "other";
    other.type = ParamType::Toggle;
    other.usual = true;
    tool.fronts = {other, front};
    tool.nodes = {n};
    tool.nodes.front().follows.clear();
    tool.paper = {plan.paper.back()};
    plan.subPlans = {tool};
    n.uid = "instance";
    n.kind = Node::kInstanceKind;
    n.subPlan = "tool";
    n.inside = "there/";
    n.params = {{"wide", std::string("a")}};
    n.follows.clear();
    n.keys.clear();
    plan.nodes.push_back(n);
    const QJsonObject written = QJsonDocument::fromJson(QByteArray::fromStdString(formatPlan(plan))).object();
    Checker checker(readJson(test::sourcePath("docs/format/plan.schema.json")));
    QCOMPARE(checker.faults(written), QStringList());
    // The check can fail.
    QJsonObject wrong = written;
    wrong[QStringLiteral("nodes")] = QJsonArray{
        QJsonObject{{QStringLiteral("uid"), 3}, {QStringLiteral("colour"), true}}};
    QCOMPARE(checker.faults(wrong).size(), 3);
    const auto back = parsePlan(formatPlan(plan), "here");
    QVERIFY(back && back->nodes == plan.nodes && back->dials == plan.dials && back->paper == plan.paper &&
            back->props == plan.props && back->subPlans == plan.subPlans);
  }
};

QTEST_GUILESS_MAIN(TestSchema)
#include "tst_schema.moc"
