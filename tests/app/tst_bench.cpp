// Numbers and units typed, dragged and stepped; the distribution's handles; every text readable.
#include "app/bench/bench_view.h"
#include "app/bench/choice_box.h"
#include "app/bench/number_field.h"
#include "app/bench/rows_editor.h"
#include "app/window/share_text.h"
#include "app/window/theme.h"
#include "tests/support/mouse.h"
#include "tests/support/support.h"

#include <QCheckBox>
#include <QColorDialog>
#include <QComboBox>
#include <QDir>
#include <QLabel>
#include <QLocale>
#include <QSettings>
#include <QSignalSpy>
#include <QToolButton>

using namespace arvesk;
using test::within;

class TestBench : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void quantities_data() {
    QTest::addColumn<QString>("text");
    QTest::addColumn<int>("unit");
    QTest::addColumn<double>("value");  // NaN: refused
    const double no = std::nan("");
    QTest::newRow("plain") << "1.5" << int(Unit::Meter) << 1.5;
    QTest::newRow("arithmetic") << "1.6/2" << int(Unit::Meter) << 0.8;
    QTest::newRow("order of operations") << "2+3*4-6/2" << int(Unit::None) << 11.0;
    QTest::newRow("brackets and signs") << "-(2+3)*-2" << int(Unit::None) << 10.0;
    QTest::newRow("centimeters") << "45 cm" << int(Unit::Meter) << 0.45;
    QTest::newRow("sum in millimeters") << "100+50 mm" << int(Unit::Meter) << 0.15;
    QTest::newRow("radians") << "0.8 rad" << int(Unit::Degree) << 0.8 * 180 / M_PI;
    QTest::newRow("own suffix") << "30°" << int(Unit::Degree) << 30.0;
    QTest::newRow("thousands separator") << "12,500" << int(Unit::None) << 12500.0;
    QTest::newRow("millions") << "1,250,000.5" << int(Unit::None) << 1250000.5;
    QTest::newRow("decimal comma") << "1,5 m" << int(Unit::Meter) << 1.5;
    QTest::newRow("decimal comma below one") << "0,125" << int(Unit::None) << 0.125;
    QTest::newRow("both kinds of commas in a sum") << "1,500 + 0,5" << int(Unit::None) << 1500.5;
    QTest::newRow("commas that are neither") << "1,2,3" << int(Unit::None) << no;
    QTest::newRow("true minus sign") << QStringLiteral("−4 m") << int(Unit::Meter) << -4.0;
    QTest::newRow("unit that does not belong") << "3 rad" << int(Unit::Meter) << no;
    QTest::newRow("words") << "lots" << int(Unit::Meter) << no;
    QTest::newRow("open bracket") << "(2+3" << int(Unit::Meter) << no;
    QTest::newRow("division by zero") << "1/0" << int(Unit::Meter) << no;
    QTest::newRow("empty") << "" << int(Unit::Meter) << no;
  }
  void quantities() {
    QFETCH(QString, text);
    QFETCH(int, unit);
    QFETCH(double, value);
    const auto got = parseQuantity(text, static_cast<Unit>(unit));
    QCOMPARE(got.has_value(), !std::isnan(value));
    if (got) QVERIFY(within(*got, value, 1e-12));
  }

  void numberFieldIsDraggedSteppedAndTyped() {
    ParamSpec spec;
    spec.label = QStringLiteral("Spacing").toStdString();
    spec.in(Unit::Meter).hard(0, 10).usual(0, 5, 0.1);
    NumberField field(spec);
    field.showValue(1);
    field.resize(80, 26);
    field.show();
    QVERIFY(QTest::qWaitForWindowExposed(&field));
    field.clearFocus();  // the only widget of a window gets the focus when it is shown
    QSignalSpy edited(&field, &NumberField::edited);
    test::dragMouse(&field, {40, 12}, {70, 12});
    QVERIFY(within(field.value(), 2.0, 1e-9));
    QVERIFY(edited.count() > 3);
    for (const auto& signal : edited) QCOMPARE(signal[1].toInt(), edited[0][1].toInt());  // one drag is one gesture
    QVERIFY(!field.hasFocus());
    QTest::mouseClick(&field, Qt::LeftButton, {}, {40, 12});
    QVERIFY(field.hasFocus());
    QTest::keyClicks(&field, QStringLiteral("45 cm"));
    QTest::keyClick(&field, Qt::Key_Return);
    QVERIFY2(within(field.value(), 0.45, 1e-9), qPrintable(field.text() + field.toolTip()));
    QTest::keyClick(&field, Qt::Key_Up);
    QVERIFY(within(field.value(), 0.55, 1e-9));
    QTest::keyClick(&field, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(&field, QStringLiteral("99"));
    QTest::keyClick(&field, Qt::Key_Return);
    QVERIFY(field.property("fault").toBool());
    QVERIFY(within(field.value(), 0.55, 1e-9));
    QVERIFY(field.toolTip().contains(QStringLiteral("0 m to 10 m")));
    QTest::keyClick(&field, Qt::Key_Escape);
    QCOMPARE(field.text(), QStringLiteral("0.55 m"));
  }

  void controlsFollowTheDeclarationAndTheModel() {
    PlanModel model;
    Plan plan;
    Node node;
    node.uid = "n";
    node.kind = "sow-on-surface";
    node.title = "Sow";
    plan.nodes.push_back(node);
    model.reset(plan);
    BenchView bench(&model);
    bench.resize(900, 260);
    bench.show();
    QVERIFY(QTest::qWaitForWindowExposed(&bench));
    bench.showNode(QStringLiteral("n"));
    QCOMPARE(bench.heading(), QStringLiteral("Sow · Sow on surface"));
    const auto find = [&](const char* name) { return bench.findChild<QWidget*>(QLatin1String(name)); };
    for (const ParamSpec& p : findNodeKind("sow-on-surface")->params)
      QVERIFY2(find(p.id.c_str()) || find((p.id + ".0").c_str()), p.id.c_str());
    QVERIFY(find("density")->isVisible() && !find("spacing")->isVisible());
    auto* way = bench.findChild<ChoiceBox*>(QStringLiteral("way"));
    way->setFocus();
    QTest::keyClick(way, Qt::Key_Down);  // Independent → Evenly spaced
    QCOMPARE(std::get<std::string>(model.plan().find("n")->params.at("way")), std::string("even"));
    QVERIFY(!find("density")->isVisible() && find("spacing")->isVisible());
    model.undoStack().undo();
    QVERIFY(find("density")->isVisible());
    QCOMPARE(way->currentText(), QStringLiteral("Independent"));
    QTest::mouseClick(bench.findChild<QToolButton*>(QStringLiteral("next_seed")), Qt::LeftButton);
    QCOMPARE(model.plan().find("n")->seed, std::uint64_t{1});
    bench.showNode({});
    QVERIFY(find("plan_seed"));
  }

  /// Every control of every kind, worked by hand: what is typed, clicked or chosen is in the plan, in range and in
  /// order, and one undo takes it back.
  void everyControlOfEveryKindEdits_data() {
    QTest::addColumn<QString>("id");
    for (const NodeKind* kind : allNodeKinds())
      if (!kind->params.empty()) QTest::newRow(kind->id.c_str()) << QString::fromStdString(kind->id);
  }
  void everyControlOfEveryKindEdits() {
    QFETCH(QString, id);
    const NodeKind& kind = *findNodeKind(id.toStdString());
    PlanModel model;
    Plan plan;
    Node node;
    node.uid = "n";
    node.kind = kind.id;
    node.title = kind.label;
    plan.nodes.push_back(node);
    model.reset(plan);
    BenchView bench(&model);
    bench.resize(900, 300);
    bench.show();
    QVERIFY(QTest::qWaitForWindowExposed(&bench));
    bench.showNode(QStringLiteral("n"));
    for (QToolButton* head : bench.findChildren<QToolButton*>())  // what is folded away is there at a click
      if (head->objectName().startsWith(QStringLiteral("group.")) && head->isVisible() && !head->isChecked())
        QTest::mouseClick(head, Qt::LeftButton);
    const auto now = [&](const ParamSpec& spec) { return model.plan().find("n")->value(spec); };
    const auto typeInto = [&](const QString& name, const QString& words) {
      auto* line = bench.findChild<QLineEdit*>(name);
      QVERIFY2(line, qPrintable(name));
      QVERIFY2(line->isVisible() && line->isEnabled(), qPrintable(name));
      line->setFocus();
      line->selectAll();
      QTest::keyClicks(line, words);
      QTest::keyClick(line, Qt::Key_Return);
    };
    std::size_t worked = 0;
    for (const ParamSpec& spec : kind.params) {
      const std::function<void(const ParamSpec&)> reveal =
          [&](const ParamSpec& hidden) {  // what shows it may itself be hidden
            if (!hidden.countedBy.empty())
              model.setParam(QStringLiteral("n"), hidden.countedBy, kind.findParam(hidden.countedBy)->hardMax);
            if (hidden.shownBy.empty()) return;
            const ParamSpec& by = *kind.findParam(hidden.shownBy);
            reveal(by);
            model.setParam(QStringLiteral("n"), by.id,
                           by.type == ParamType::Toggle ? ParamValue(hidden.shownFor.front() == "on")
                                                        : ParamValue(hidden.shownFor.front()));
          };
      reveal(spec);
      const Plan before = model.plan();
      const int steps = model.undoStack().index();
      const QString name = QString::fromStdString(spec.id);
      const double middle = spec.type == ParamType::Integer ? std::floor(0.5 * (spec.usualMin + spec.usualMax)) + 1
                                                            : 0.25 * spec.usualMin + 0.75 * spec.usualMax;
      const auto isNear = [&](double value, double wanted) {
        return within(value, wanted, 1e-3 + 1e-3 * std::abs(spec.usualMax), 1e-3);
      };
      switch (spec.type) {
        case ParamType::Toggle:
          QTest::mouseClick(bench.findChild<QCheckBox*>(name), Qt::LeftButton, {},
                            QPoint(8, bench.findChild<QCheckBox*>(name)->height() / 2));
          break;
        case ParamType::Choice: {
          auto* box = bench.findChild<ChoiceBox*>(name);
          QWidget* keys = box->focusProxy() ? box->focusProxy() : box;
          keys->setFocus();
          QTest::keyClick(keys, box->currentIndex() + 1 < box->count() ? Qt::Key_Down : Qt::Key_Up);
          QCOMPARE(std::get<std::string>(now(spec)), box->currentId().toStdString());
          break;
        }
        case ParamType::Number:
        case ParamType::Integer:
          typeInto(name, QString::number(middle, 'g', 12));
          QVERIFY2(isNear(std::get<double>(now(spec)), middle), spec.id.c_str());
          break;
        case ParamType::Vector:
        case ParamType::Range:
        case ParamType::Band:
          if (auto* open = bench.findChild<QToolButton*>(name + QStringLiteral(".open")); open && open->isVisible()) {
            // One value first: typing it is no range yet.
            typeInto(name + QStringLiteral(".0"), QString::number(middle, 'g', 12));
            QCOMPARE(std::get<std::vector<double>>(now(spec))[0], std::get<std::vector<double>>(now(spec))[1]);
            QTest::mouseClick(open, Qt::LeftButton);
            typeInto(name + QStringLiteral(".0"), QString::number(0.5 * (spec.usualMin + middle), 'g', 12));
          }
          typeInto(name + QStringLiteral(".1"), QString::number(middle, 'g', 12));
          QVERIFY2(isNear(std::get<std::vector<double>>(now(spec))[1], middle), spec.id.c_str());
          if (spec.type == ParamType::Band) {
            const auto four = std::get<std::vector<double>>(now(spec));
            QVERIFY(std::is_sorted(four.begin(), four.end()));
          }
          break;
        case ParamType::Text:
          if (spec.check) continue;
          typeInto(name, QStringLiteral("some words, and *"));
          QCOMPARE(std::get<std::string>(now(spec)), std::string("some words, and *"));
          break;
        default: continue;  // files, curves, strokes, faces and lists of props have tests of their own
      }
      if (QTest::currentTestFailed()) return;
      QVERIFY2(faultOf(spec, now(spec)).empty(), spec.id.c_str());
      if (model.plan() == before) continue;  // it stood there already
      ++worked;
      model.undoStack().setIndex(steps);
      QVERIFY2(model.plan() == before, spec.id.c_str());
    }
    const bool hasPlain = std::any_of(kind.params.begin(), kind.params.end(), [](const ParamSpec& p) {
      return p.type == ParamType::Number || p.type == ParamType::Toggle || p.type == ParamType::Choice;
    });
    QVERIFY(worked > 0 || !hasPlain);
  }

  /// Rules and colors as rows: what is set in a row stands in the text, what stands in the text is shown in rows, and
  /// what cannot be read is told beside its text.
  void rulesAndColorsAreRows() {
    PlanModel model;
    Plan plan;
    for (const char* name : {"marram", "sea kale", "stone; gray"}) {
      PropEntry prop;
      prop.uid = prop.name = name;
      plan.props.push_back(prop);
    }
    for (const char* kind : {"dress", "color"}) {
      Node node;
      node.uid = node.kind = node.title = kind;
      plan.nodes.push_back(node);
    }
    model.reset(plan);
    BenchView bench(&model);
    QPixmap picture;  // of the sea kale, once it is drawn
    bench.setPictures([&](const std::string& uid) { return uid == "sea kale" ? picture : QPixmap(); });
    bench.resize(900, 220);
    bench.show();
    QVERIFY(QTest::qWaitForWindowExposed(&bench));
    bench.showNode(QStringLiteral("dress"));
    const auto valueOf = [&](const char* uid, const char* id) {
      return std::get<std::string>(model.plan().find(uid)->value(*findNodeKind(uid)->findParam(id)));
    };
    const auto find = [&](const char* name) {
      QWidget* found = nullptr;
      for (QWidget* w : bench.findChildren<QWidget*>(QLatin1String(name)))
        if (w->isVisible()) found = w;
      return found;
    };
    const auto click = [&](const char* name) {
      QVERIFY2(find(name), name);
      QTest::mouseClick(find(name), Qt::LeftButton);
    };
    const auto type = [&](const char* name, const char* words) {
      auto* line = qobject_cast<QLineEdit*>(find(name));
      if (auto* box = qobject_cast<QComboBox*>(find(name))) line = box->lineEdit();
      QVERIFY2(line, name);
      line->setFocus();
      line->selectAll();
      QTest::keyClicks(line, QLatin1String(words));
      QTest::keyClick(line, Qt::Key_Return);
    };
    model.setParam(QStringLiteral("dress"), "way", std::string("ranges"));
    QVERIFY(!find("ranges") && find("ranges.0.from") && find("ranges.1.prop") && !find("ranges.2.prop"));
    QTRY_VERIFY2(find("ranges.0.from")->height() > 18 && find("ranges.1.prop")->height() > 18, "rows are not squeezed");
    type("ranges.0.to", "0.3");
    type("ranges.0.prop", "sea kale");
    QCOMPARE(valueOf("dress", "ranges"), std::string("0 to 0.3: sea kale; 0.5 to 1: *"));
    type("ranges.1.from", "0.3");
    type("ranges.1.prop", "stone; gray");  // a semicolon would end the rule
    QCOMPARE(valueOf("dress", "ranges"), std::string("0 to 0.3: sea kale; 0.3 to 1: stone? gray"));
    type("ranges.0.from", "0.6");  // never a range that ends before it begins
    QCOMPARE(valueOf("dress", "ranges"), std::string("0.6 to 0.6: sea kale; 0.3 to 1: stone? gray"));
    QVERIFY(faultOf(*findNodeKind("dress")->findParam("ranges"), valueOf("dress", "ranges")).empty());
    model.undoStack().undo();
    QCOMPARE(static_cast<NumberField*>(find("ranges.0.from"))->value(), 0.0);
    click("ranges.add");
    QCOMPARE(valueOf("dress", "ranges"), std::string("0 to 0.3: sea kale; 0.3 to 1: stone? gray; 1 to 1: marram"));
    // A step back takes the row away in which one types: what was typed goes with it.
    auto* typed = qobject_cast<QComboBox*>(find("ranges.2.prop"));
    typed->lineEdit()->setFocus();
    QTest::keyClicks(typed->lineEdit(), QStringLiteral("x"));
    model.undoStack().undo();
    QVERIFY(!find("ranges.2.prop"));
    QCOMPARE(valueOf("dress", "ranges"), std::string("0 to 0.3: sea kale; 0.3 to 1: stone? gray"));
    model.undoStack().redo();
    QCOMPARE(valueOf("dress", "ranges"), std::string("0 to 0.3: sea kale; 0.3 to 1: stone? gray; 1 to 1: marram"));
    click("ranges.1.remove");
    QCOMPARE(valueOf("dress", "ranges"), std::string("0 to 0.3: sea kale; 1 to 1: marram"));
    // Pictures come when they are drawn.
    auto* withPicture = qobject_cast<QComboBox*>(find("ranges.0.prop"));
    QVERIFY(withPicture && withPicture->itemIcon(1).isNull());
    picture = QPixmap(176, 176);
    picture.fill(Qt::red);
    for (RowsEditor* rows : bench.findChildren<RowsEditor*>()) rows->updatePictures();
    QVERIFY(!withPicture->itemIcon(1).isNull() && withPicture->itemIcon(0).isNull());
    // The prop that a row names is the one that its list shows.
    auto* prop = qobject_cast<QComboBox*>(find("ranges.0.prop"));
    QVERIFY(prop && prop->currentIndex() == 1);
    prop->setFocus();
    QTest::keyClick(prop, Qt::Key_Up);
    QCOMPARE(valueOf("dress", "ranges"), std::string("0 to 0.3: marram; 1 to 1: marram"));
    click("ranges.as_text");
    type("ranges", "0 to 2: marram");
    QVERIFY(find("ranges.fault"));
    type("ranges", "0 to 1: sea*");
    QVERIFY(!find("ranges.fault"));
    click("ranges.as_text");
    QCOMPARE(qobject_cast<QComboBox*>(find("ranges.0.prop"))->currentText(), QStringLiteral("sea*"));
    model.setParam(QStringLiteral("dress"), "way", std::string("name"));
    click("rules.add");
    type("rules.0.name", "post_*");
    QCOMPARE(valueOf("dress", "rules"), std::string("post_*: marram"));
    // Texts that the points carry: those that no row means are told, with how many, and get a row at a click.
    auto* rules = bench.findChild<RowsEditor*>();
    for (RowsEditor* editor : bench.findChildren<RowsEditor*>())
      if (editor->findChild<QWidget*>(QStringLiteral("rules.add"))) rules = editor;
    rules->offer({{"post_1", 3}, {"lamp", 12}, {"", 5}, {"rope; thin", 40}});
    QVERIFY(find("rules.unmet"));
    const QString unmet = qobject_cast<QLabel*>(find("rules.unmet"))->text();
    QVERIFY2(unmet.contains(QStringLiteral("rope; thin (40), lamp (12)")) && !unmet.contains(QStringLiteral("post")),
             qPrintable(unmet));
    click("rules.add_unmet");
    QCOMPARE(valueOf("dress", "rules"), std::string("post_*: marram; rope? thin: marram; lamp: marram"));
    QVERIFY(!find("rules.unmet") && !find("rules.add_unmet"));
    model.undoStack().undo();

    bench.showNode(QStringLiteral("color"));
    QVERIFY(find("palette.0.color") && find("palette.1.weight"));
    type("palette.0.weight", "5");
    QCOMPARE(valueOf("color", "palette"), std::string("#8f9a6b: 5; #b58a5a: 1"));
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, QDir::tempPath() + QStringLiteral("/rows"));
    click("palette.1.color");
    auto* dialog = bench.findChild<QColorDialog*>(QStringLiteral("color_dialog"));
    QVERIFY(dialog && dialog->currentColor() == QColor(0xb5, 0x8a, 0x5a));
    dialog->setCurrentColor(QColor(1, 2, 3));
    dialog->accept();
    QCOMPARE(valueOf("color", "palette"), std::string("#8f9a6b: 5; #010203: 1"));
    QTRY_VERIFY(!bench.findChild<QColorDialog*>(QStringLiteral("color_dialog")));
    click("palette.0.color");  // the color of late is offered
    dialog = bench.findChild<QColorDialog*>(QStringLiteral("color_dialog"));
    QVERIFY(dialog && QColorDialog::customColor(0) == QColor(1, 2, 3));
    dialog->reject();
    QCOMPARE(valueOf("color", "palette"), std::string("#8f9a6b: 5; #010203: 1"));
  }

  // "=" on a choice or a switch opens a line for a dial; emptying the line lets go, and the control is back.
  void choicesAndSwitchesFollowDials() {
    PlanModel model;
    Plan plan;
    plan.dials.push_back({"d", "kind", 2, 1, {}});
    Node node;
    node.uid = node.title = "n";
    node.kind = "output";
    plan.nodes.push_back(node);
    node.uid = node.title = "s";
    node.kind = "sow-on-surface";
    plan.nodes.push_back(node);
    node.uid = node.title = "l";
    node.kind = "dress";  // has more ways than stand side by side
    plan.nodes.push_back(node);
    model.reset(plan);
    BenchView bench(&model);
    bench.resize(900, 300);
    bench.show();
    QVERIFY(QTest::qWaitForWindowExposed(&bench));
    const auto follow = [&](const char* uid, const char* name, const QString& words) {
      bench.showNode(QLatin1String(uid));
      auto* control = bench.findChild<QWidget*>(QLatin1String(name));
      auto* line = bench.findChild<QLineEdit*>(QLatin1String(name) + QStringLiteral(".formula"));
      QWidget* at = line->isVisible() ? line : control;
      at->setFocus();
      // Who types meets what has the focus.
      if (at == control) QTest::keyClick(at->focusProxy() ? at->focusProxy() : at, Qt::Key_Equal);
      if (!line->isVisible() || control->isVisible()) return QString(QStringLiteral("no line"));
      line->selectAll();
      QTest::keyClick(line, Qt::Key_Delete);
      QTest::keyClicks(line, words);
      QTest::keyClick(line, Qt::Key_Return);
      const auto& follows = model.plan().find(uid)->follows;
      const auto it = follows.find(name);
      return it == follows.end() ? QString() : QString::fromStdString(it->second);
    };
    QCOMPARE(follow("s", "way", QStringLiteral("kind")), QStringLiteral("kind"));
    auto* way = bench.findChild<ChoiceBox*>(QStringLiteral("way"));
    QCOMPARE(way->currentId(), QStringLiteral("even"));  // 2, in draft
    QVERIFY(bench.findChild<QWidget*>(QStringLiteral("spacing"))->isVisible());
    QVERIFY(way->isHidden());
    QCOMPARE(follow("s", "way", QString()), QString());
    QVERIFY(way->isVisible());
    QCOMPARE(follow("n", "visible", QStringLiteral("= kind - 2")), QStringLiteral("kind - 2"));
    QVERIFY(!bench.findChild<QCheckBox*>(QStringLiteral("visible"))->isChecked());
    bench.showNode(QStringLiteral("l"));
    QVERIFY(!bench.findChild<ChoiceBox*>(QStringLiteral("way"))->isRow());
    QCOMPARE(follow("l", "way", QStringLiteral("kind")), QStringLiteral("kind"));
  }

  void handlesMoveTheBandInOrder() {
    DistributionView view;
    view.resize(460, 220);
    view.show();
    QVERIFY(QTest::qWaitForWindowExposed(&view));
    Array<float> values;
    Array<std::uint8_t> kept;
    for (int i = 0; i < 900; ++i) {
      values.push_back(static_cast<float>(i) / 10);
      kept.push_back(i < 400);
    }
    view.showHistogram(std::make_shared<const Histogram>(makeHistogram("slope", "°", 0, 90, values, kept)), false);
    view.showHandles({10, 20, 40, 50}, 0, 180);
    std::vector<double> now;
    int gestures = 0;
    int last = 0;
    connect(&view, &DistributionView::handlesMoved, this, [&](const std::vector<double>& v, int gesture) {
      now = v;
      gestures += gesture != last;
      last = gesture;
    });
    const QPoint third = view.handlePosition(2).toPoint();
    const QPoint goal(view.handlePosition(3).toPoint().x() + 60, third.y());
    test::dragMouse(&view, third, goal);
    QCOMPARE(now.size(), std::size_t{4});
    QCOMPARE(now[0], 10.0);
    QVERIFY(now[2] > 50 && now[3] >= now[2]);  // it pushed the last one along
    QCOMPARE(gestures, 1);
  }

  /// Stretches that give props: ends that touch go together, a picture takes all of its stretch along, nothing leaves
  /// the chart or turns round, and what overlaps lies in rows of its own.
  void piecesAreDraggedByEndsAndPictures() {
    DistributionView view;
    view.resize(520, 240);
    view.show();
    QVERIFY(QTest::qWaitForWindowExposed(&view));
    Array<float> values;
    Array<std::uint8_t> kept;
    for (int i = 0; i < 900; ++i) {
      values.push_back(static_cast<float>(i) / 900);
      kept.push_back(i < 800);
    }
    view.showHistogram(std::make_shared<const Histogram>(makeHistogram("mask value", "", 0, 1, values, kept)), false);
    QPixmap green(32, 32);
    green.fill(Qt::darkGreen);
    const std::vector<ChartPiece> pieces{{0, 0.4, green, {}}, {0.4, 0.9, green, {}}, {0.3, 0.7, {}, {}}};
    view.showPieces(pieces);
    std::vector<double> now;
    std::vector<int> gestures;
    connect(&view, &DistributionView::piecesMoved, this, [&](const std::vector<double>& v, int gesture) {
      now = v;
      if (gestures.empty() || gestures.back() != gesture) gestures.push_back(gesture);
    });
    QCOMPARE(view.piecePosition(0).y(), view.piecePosition(1).y());
    QVERIFY(view.piecePosition(2).y() > view.piecePosition(0).y() + 20);
    QCOMPARE(view.grab().toImage().pixelColor(view.piecePosition(1).toPoint()), QColor(Qt::darkGreen));
    const QPoint edge = view.pieceEnd(0, 1).toPoint();
    test::dragMouse(&view, edge - QPoint(1, 0), edge + QPoint(45, 0));
    QCOMPARE(now.size(), std::size_t{6});
    QVERIFY(now[1] > 0.45 && now[1] == now[2] && now[0] == 0 && now[3] == 0.9);
    QCOMPARE(gestures.size(), std::size_t{1});
    view.showPieces(pieces);
    test::dragMouse(&view, view.piecePosition(1).toPoint(), view.piecePosition(1).toPoint() + QPoint(400, 0));
    QVERIFY(within(now[2], 0.5, 1e-9) && within(now[3], 1, 1e-9));  // all of it, up to the end of the chart
    QCOMPARE(now[1], 0.4);
    view.showPieces(pieces);
    test::dragMouse(&view, view.pieceEnd(2, 0).toPoint(), view.pieceEnd(2, 0).toPoint() + QPoint(400, 0));
    QVERIFY(within(now[4], 0.7, 1e-9) && now[5] == 0.7);  // up to its own other end
    QCOMPARE(gestures.size(), std::size_t{3});
  }

  /// A curve as a hand draws it: points come by double-click, stay in order under any drag, and go by Delete; the ends
  /// of a line stay. Each drag is one gesture, so that it is one step back.
  void curvesAreDrawnByHand() {
    DistributionView view;
    view.resize(460, 220);
    view.show();
    QVERIFY(QTest::qWaitForWindowExposed(&view));
    view.showCurve({0, 0, 0.5, 0.5, 1, 1});
    std::vector<double> now;
    std::vector<int> gestures;
    connect(&view, &DistributionView::curveChanged, this, [&](const std::vector<double>& points, int gesture) {
      now = points;
      if (gestures.empty() || gestures.back() != gesture) gestures.push_back(gesture);
    });
    const auto isInOrder = [&] {
      for (std::size_t i = 2; i < now.size(); i += 2)
        if (now[i] < now[i - 2]) return false;
      return std::all_of(now.begin(), now.end(), [](double v) { return v >= 0 && v <= 1; });
    };
    const QPoint middle = view.curvePosition(1).toPoint();
    test::dragMouse(&view, middle, middle + QPoint(30, -40));
    QCOMPARE(now.size(), std::size_t{6});
    QVERIFY(now[2] > 0.5 && now[3] > 0.6 && isInOrder());
    QCOMPARE(gestures.size(), std::size_t{1});
    // However far it is dragged, it stays between its neighbors and on the chart.
    for (const QPoint& far : {QPoint(900, 900), QPoint(-900, -900), QPoint(900, -50)}) {
      const QPoint at = view.curvePosition(1).toPoint();
      test::dragMouse(&view, at, at + far);
      QVERIFY(isInOrder());
    }
    view.showCurve({0, 0, 0.5, 0.5, 1, 1});
    const QPoint between = (view.curvePosition(0) + QPointF(40, -60)).toPoint();
    QTest::mouseDClick(&view, Qt::LeftButton, {}, between);
    QCOMPARE(now.size(), std::size_t{8});
    QVERIFY(isInOrder() && now[2] > 0 && now[2] < 0.5);
    QTest::mouseDClick(&view, Qt::LeftButton, {}, view.curvePosition(1).toPoint());  // where one is, none is added
    QCOMPARE(now.size(), std::size_t{8});
    for (int left = 3; left >= 2; --left) {
      QTest::mouseClick(&view, Qt::LeftButton, {}, view.curvePosition(1).toPoint());
      QTest::keyClick(&view, Qt::Key_Delete);
      QCOMPARE(now.size(), static_cast<std::size_t>(2 * left));
    }
    QTest::mouseClick(&view, Qt::LeftButton, {}, view.curvePosition(1).toPoint());
    QTest::keyClick(&view, Qt::Key_Delete);  // two are a line, and stay
    QCOMPARE(now, (std::vector<double>{0, 0, 1, 1}));
  }

  void histogramsCountEveryPoint() {
    Array<float> values{-5, 0, 10, 45, 90, 200};
    const Histogram h = makeHistogram("slope", "°", 0, 90, values, {1, 1, 0, 1, 0, 0});
    std::size_t sum = 0;
    for (std::size_t i = 0; i < h.kept.size(); ++i) sum += h.kept[i] + h.left[i];
    QCOMPARE(sum, std::size_t{6});
    QCOMPARE(h.keptCount, std::size_t{3});
    QCOMPARE(h.median, 45.0F);
  }

  /// A share is never rounded to none, to all or to just all.
  void sharesAreNotRoundedAway() {
    for (int all = 1; all < 30'000; all += all / 7 + 1)
      for (const int kept : {0, 1, all / 150, all / 3, all - 1 - all / 400, all - 1, all, all + 1}) {
        const QString words = shareText(static_cast<double>(kept) / all);
        const QByteArray why = QStringLiteral("%1 of %2: %3").arg(kept).arg(all).arg(words).toUtf8();
        QVERIFY2((words == QStringLiteral("0 %")) == (kept <= 0), why);
        QVERIFY2((words == QStringLiteral("100 %")) == (kept == all), why);
        QVERIFY2(!words.startsWith(QLocale().toString(0.0, 'f', 1)), why);
        QVERIFY2(!words.startsWith(QLocale().toString(100.0, 'f', 1)), why);
      }
    const auto tenths = [](double number) { return QLocale().toString(number, 'f', 1) + QStringLiteral(" %"); };
    QCOMPARE(shareText(23'755.0 / 23'774), tenths(99.9));
    QCOMPARE(shareText(1.0004), tenths(100.1));
    QCOMPARE(shareText(0.0012), tenths(0.1));
    QCOMPARE(shareText(0.0004), QStringLiteral("< ") + tenths(0.1));
    QCOMPARE(shareText(0.053), tenths(5.3));
    QCOMPARE(shareText(0.53), QStringLiteral("53 %"));
  }

  // WCAG 2.1, success criterion 1.4.3, asks for 4.5:1.
  void allTextIsReadable_data() {
    QTest::addColumn<bool>("night");
    QTest::newRow("paper") << false;
    QTest::newRow("night") << true;
  }
  void allTextIsReadable() {
    QFETCH(bool, night);
    const Theme t = night ? nightTheme() : paperTheme();
    for (const auto& [text, ground] : t.textPairs())
      QVERIFY2(
          contrastRatio(text, ground) >= 4.5,
          qPrintable(QStringLiteral("%1 on %2: %3").arg(text.name(), ground.name()).arg(contrastRatio(text, ground))));
    QVERIFY(within(contrastRatio(Qt::black, Qt::white), 21, 1e-9));
  }
};

QTEST_MAIN(TestBench)
#include "tst_bench.moc"
