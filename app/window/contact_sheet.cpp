#include "app/window/contact_sheet.h"

#include "app/bench/number_field.h"
#include "app/model/words.h"
#include "app/window/theme.h"
#include "core/deliver/changes.h"
#include "core/deliver/delivery.h"
#include "core/deliver/touching.h"
#include "core/picture/render.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLocale>
#include <QToolButton>

namespace arvesk {
namespace {

constexpr int kSamples = 3;  // a look, not a picture to keep

}  // namespace

ContactSheet::ContactSheet(PlanModel* model, std::shared_ptr<DiskFileService> files, const Camera& camera,
                           const QString& node, const std::optional<SheetAxis>& version, QWidget* parent)
    : QWidget(parent, Qt::Window),
      m_model(model),
      m_site(camera),
      m_axes(version ? std::vector<SheetAxis>{*version} : sheetAxes(*model->snapshot())),
      m_plan(model->snapshot()),
      m_size(new QComboBox(this)),
      m_target(new QComboBox(this)),
      m_second(new QComboBox(this)),
      m_range(new QWidget(this)),
      m_head(new QLabel(this)),
      m_keep(new QCheckBox(tr("Keep what is touched where it is"), this)),
      m_grid(new QGridLayout),
      m_evaluator(std::make_shared<Evaluator>(std::move(files))) {
  setObjectName(QStringLiteral("contact_sheet"));
  setWindowTitle(tr("Contact sheet"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(1060, 740);
  m_head->setObjectName(QStringLiteral("sheet_head"));
  m_head->setWordWrap(true);
  m_target->setObjectName(QStringLiteral("sheet_target"));
  m_target->setAccessibleName(tr("What is varied"));
  int at = 0;
  for (std::size_t k = 0; k < m_axes.size(); ++k) {
    const SheetAxis& axis = m_axes[k];
    m_target->addItem(version             ? tr("Versions of %1").arg(text(axis.label))
                      : !axis.isSeed()    ? text(axis.label)
                      : axis.node.empty() ? tr("Seed of the plan")
                                          : tr("Seed of %1").arg(text(axis.label)));
    if (axis.isSeed() && !node.isEmpty() && text(axis.node) == node) at = static_cast<int>(k);
  }
  m_target->setCurrentIndex(at);
  m_across = m_axes[static_cast<std::size_t>(at)];
  m_second->setObjectName(QStringLiteral("sheet_second"));
  m_second->setAccessibleName(tr("What is varied down the columns"));
  m_size->setObjectName(QStringLiteral("sheet_size"));
  m_size->setAccessibleName(tr("How many"));
  for (const int side : {3, 4, 5}) m_size->addItem(QStringLiteral("%1 × %1").arg(side), side);
  m_keep->setObjectName(QStringLiteral("sheet_keep"));
  m_keep->setToolTip(tr("Placements that a hand touched stay where they are; only the others are sown anew"));
  m_keep->hide();  // until there are some
  auto* range = new QHBoxLayout(m_range);
  range->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(m_target);
  head->addWidget(m_range);
  head->addWidget(m_second);
  head->addWidget(m_size);
  head->addWidget(m_keep);
  head->addStretch(1);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 12, 16, 16);
  column->setSpacing(10);
  column->addLayout(head);
  column->addWidget(m_head);
  m_grid->setSpacing(8);
  column->addLayout(m_grid, 1);
  connect(m_size, &QComboBox::activated, this, [this] {
    m_side = m_size->currentData().toInt();
    rebuild();
  });
  connect(m_target, &QComboBox::activated, this, [this](int k) {
    m_across = m_axes[static_cast<std::size_t>(k)];
    fillDown();
    showRange();
    rebuild();
  });
  connect(m_second, &QComboBox::activated, this, [this] {
    const int k = m_second->currentData().toInt();
    m_down = k < 0 ? std::optional<SheetAxis>() : m_axes[static_cast<std::size_t>(k)];
    rebuild();
  });
  if (version) m_size->hide();
  fillDown();
  showRange();
  rebuild();
}

/// Two values go together, a seed goes alone.
void ContactSheet::fillDown() {
  m_down.reset();
  m_second->clear();
  m_second->addItem(tr("and nothing else"), -1);
  for (std::size_t k = 0; k < m_axes.size(); ++k)
    if (!m_axes[k].isSeed() && !(m_axes[k] == m_across))
      m_second->addItem(tr("and %1").arg(text(m_axes[k].label)), static_cast<int>(k));
  m_second->setVisible(!m_across.isSeed() && m_second->count() > 1);
}

/// From where to where a number goes; choices go through all that there are.
void ContactSheet::showRange() {
  delete m_from;
  delete m_to;
  m_from = m_to = nullptr;
  m_range->setVisible(!m_across.isSeed() && m_across.options.empty());
  if (!m_range->isVisibleTo(this)) return;
  ParamSpec spec;
  spec.unit = m_across.unit;
  spec.type = m_across.isWhole ? ParamType::Integer : ParamType::Number;
  spec.usual(std::min(m_across.from, m_across.to), std::max(m_across.from, m_across.to));
  const auto field = [&](double SheetAxis::*member, const char* name, const QString& words) {
    auto* made = new NumberField(spec, m_range);
    made->setObjectName(QLatin1String(name));
    made->setAccessibleName(words);
    made->setToolTip(words);
    made->setMaximumWidth(110);
    made->showValue(m_across.*member);
    connect(made, &NumberField::edited, this, [this, member](double v, int) {
      m_across.*member = v;
      rebuild();
    });
    m_range->layout()->addWidget(made);
    return made;
  };
  m_from = field(&SheetAxis::from, "sheet_from", tr("From here, of which 5 % are left away"));
  m_to = field(&SheetAxis::to, "sheet_to", tr("To here, of which 5 % are left away"));
}

std::uint64_t ContactSheet::seedOf(int cell) const {
  const Node* node = m_across.node.empty() ? nullptr : m_plan->find(m_across.node);
  return (node ? node->seed : m_plan->settings.seed) + static_cast<std::uint64_t>(cell);
}

int ContactSheet::cellCount() const {
  return m_down ? m_across.most(m_side) * m_down->most(m_side) : m_across.most(m_side * m_side);
}

void ContactSheet::apply(Plan& plan, int cell) const {
  if (!m_down) return m_across.apply(plan, cell, m_side * m_side);
  const int columns = m_across.most(m_side);
  m_across.apply(plan, cell % columns, m_side);
  m_down->apply(plan, cell / columns, m_side);
}

QString ContactSheet::versionWords() const {
  QStringList lines;
  for (const LaterVersion& v : laterVersions(*m_plan, m_model->library())) {
    if (v.subPlan != m_across.id) continue;
    if (!v.news.empty()) lines << text(v.news);
    QStringList gone;
    for (const std::string& label : v.gone) gone << QStringLiteral("“%1”").arg(text(label));
    if (!gone.isEmpty()) lines << tr("Set here, and no more in it: %1").arg(gone.join(QStringLiteral(", ")));
  }
  if (m_counts.size() < 2) return lines.join(QLatin1Char('\n'));
  const QLocale locale;
  QStringList others;
  for (const auto& [title, count] : m_counts[0]) {
    const auto then = m_counts[1].find(title);
    if (then == m_counts[1].end())
      others << tr("%1: nothing comes any more").arg(text(title));
    else if (then->second != count)
      others << tr("%1 %2 → %3")
                    .arg(text(title), locale.toString(static_cast<qulonglong>(count)),
                         locale.toString(static_cast<qulonglong>(then->second)));
  }
  lines << (others.isEmpty() ? tr("No output has another count.") : others.join(QStringLiteral(" · ")));
  return lines.join(QLatin1Char('\n'));
}

QString ContactSheet::headWords() const {
  const QString words =
      m_done < cellCount()
          ? tr("%1 of %2 drawn · click the one to keep · Esc keeps the plan as it is").arg(m_done).arg(cellCount())
          : tr("Click the one to keep · Esc keeps the plan as it is");
  const QString more = isVersions() ? versionWords() : QString();
  return more.isEmpty() ? words : words + QLatin1Char('\n') + more;
}

QString ContactSheet::wordsOf(int cell) const {
  if (m_across.isSeed()) return cell == 0 ? tr("seed %1, as it is").arg(seedOf(cell)) : tr("seed %1").arg(seedOf(cell));
  if (isVersions()) {
    const SubPlan* has = m_plan->findSubPlan(m_across.id);
    return cell == 0 ? tr("Version %1, as it is").arg(has ? has->version : 0)
                     : tr("Version %1 of the library").arg(m_across.later->tool().version);
  }
  const auto value = [](const SheetAxis& axis, int k, int count) {
    return axis.options.empty() ? formatQuantity(axis.at(k, count), axis.unit)
                                : said(axis.options[static_cast<std::size_t>(k)].label);
  };
  if (!m_down) return value(m_across, cell, m_side * m_side);
  const int columns = m_across.most(m_side);
  return QStringLiteral("%1 · %2").arg(value(m_across, cell % columns, m_side), value(*m_down, cell / columns, m_side));
}

void ContactSheet::rebuild() {
  m_job.cancel();
  for (QToolButton* cell : m_cells) delete cell;
  m_cells.clear();
  m_done = 0;
  m_counts.clear();
  for (int i = 0; i < cellCount(); ++i) {
    auto* cell = new QToolButton(this);
    cell->setObjectName(QStringLiteral("sheet_cell_%1").arg(i));
    cell->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
    cell->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    cell->setText(wordsOf(i));
    cell->setAccessibleName(cell->text());
    cell->setEnabled(false);
    connect(cell, &QToolButton::clicked, this, [this, i] { choose(i); });
    m_grid->addWidget(cell, i / columns(), i % columns());
    m_cells.push_back(cell);
  }
  drawNext();
}

/// One picture after the other, so that each shows as soon as it is there; nodes that what is varied does not touch are
/// worked out once.
void ContactSheet::drawNext() {
  const int all = cellCount();
  m_head->setText(headWords());
  if (m_done >= all) return;
  const QSize room = roomOfPicture();
  const int width = room.width();
  const int height = room.height();
  Plan now = *m_plan;
  apply(now, m_done);
  Plan other = *m_plan;  // what it changes is what all are compared by
  apply(other, m_across.isSeed() ? 1 : all - 1);
  m_job.ask([this, plan = m_plan, varied = std::move(now), other = std::move(other),
             from = m_done == 0 ? m_site : m_camera, isFirst = m_done == 0, width, height,
             evaluator = m_evaluator](const Task& task) -> std::function<void()> {
    EvalRequest request;
    request.quality = Quality::Draft;
    request.task = {task.stop, {}};
    const Evaluation evaluation = evaluator->evaluate(varied, request);
    if (evaluation.isCancelled) return {};
    std::vector<PointsPtr> bare;
    PictureInput input = pictureInputOf(evaluation.opened->plan, evaluation, {}, bare);
    Camera camera = from;
    std::map<std::string, TouchUps> kept;
    std::size_t waitingNow = 0;
    if (isFirst) {
      const Evaluation asItIs = evaluator->evaluate(*plan, request);
      const Evaluation next = evaluator->evaluate(other, request);
      if (asItIs.isCancelled || next.isCancelled) return {};
      kept = keepingTouched(asItIs.opened->plan, asItIs);
      waitingNow = waitingTouches(asItIs.opened->plan, asItIs);
      std::vector<PointsPtr> bareNext;
      camera = cameraOn(changedPlaces(input.layers, pictureInputOf(next.opened->plan, next, {}, bareNext).layers), from,
                        static_cast<float>(width) / static_cast<float>(height));
    }
    const auto scene = PictureScene::build(std::move(input), task);
    if (!scene) return {};
    const PlanTotals totals = totalsOf(evaluation.opened->plan, evaluation);
    std::map<std::string, std::size_t> counts;
    for (const Node& node : evaluation.opened->plan.nodes)
      if (const NodeKind* kind = kindOf(node); kind && kind->isLayer)
        if (const auto report = evaluation.reports.find(node.uid);
            report != evaluation.reports.end() && !report->second.passed.empty())
          counts[node.title] += report->second.passed.front();
    const std::size_t waiting = waitingTouches(evaluation.opened->plan, evaluation);
    const auto film = tracedFilm(**scene, camera, width, height, kSamples, task, {}, 1);
    if (!film) return {};
    QImage image(width, height, QImage::Format_RGB32);
    Array<std::uint32_t> pixels(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
    film->develop(pixels.data());
    for (const PointsPtr& points : bare) drawPoints(*points, {}, camera, 2, *film, pixels.data());
    std::copy(pixels.begin(), pixels.end(), reinterpret_cast<std::uint32_t*>(image.bits()));
    return [this, image, totals, camera, waiting, waitingNow, kept, isFirst, counts] {
      m_counts.push_back(counts);
      m_camera = camera;
      QToolButton* cell = m_cells[static_cast<std::size_t>(m_done)];
      cell->setIcon(QIcon(QPixmap::fromImage(image)));
      cell->setIconSize(image.size());
      cell->setText(QStringLiteral("%1 · %2").arg(
          wordsOf(m_done), tr("%1 placed").arg(QLocale().toString(static_cast<qulonglong>(totals.placements)))));
      if (isFirst) {
        m_kept = kept;
        m_waiting = waitingNow;
        m_keep->setVisible(!kept.empty());
      }
      if (waiting > m_waiting) {
        const auto more = static_cast<qulonglong>(waiting - m_waiting);
        cell->setText(tr("%1 · %2 touch-ups would sleep").arg(cell->text(), QLocale().toString(more)));
      }
      cell->setEnabled(true);
      ++m_done;
      Q_EMIT pictureReady(m_done - 1);
      drawNext();
    };
  });
}

void ContactSheet::choose(int cell) {
  if (isVersions()) {
    if (cell == 1) m_model->takeLater(m_across.id);
    close();
    return;
  }
  m_model->editDocument(
      m_across.isSeed() ? tr("Seed from contact sheet") : tr("Value from contact sheet"), [&](Plan& plan) {
        if (m_across.isSeed() && m_across.node.empty()) plan.settings.seed = m_plan->settings.seed;
        if (Node* n = m_across.isSeed() && !m_across.node.empty() ? nodeBehind(plan, m_across.node) : nullptr)
          n->seed = seedOf(0);  // it counts from what the sheet shows
        apply(plan, cell);
        if (!m_keep->isChecked() || m_keep->isHidden()) return;
        for (const auto& [uid, touches] : m_kept)
          if (Node* n = nodeBehind(plan, uid)) n->params["touches"] = touches;
      });
  close();
}

void ContactSheet::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Escape) {
    close();
    return;
  }
  QWidget::keyPressEvent(event);
}

/// Of one cell, px; below what stands over the pictures.
QSize ContactSheet::roomOfPicture() const {
  const int above = m_head->sizeHint().height() + 90;
  return {std::max(120, (width() - 32 - 8 * (columns() - 1)) / columns() - 12),
          std::max(80, (height() - above - 8 * (rows() - 1)) / rows() - 34)};
}

void ContactSheet::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  for (QToolButton* cell : m_cells) cell->setIconSize(cell->iconSize().scaled(roomOfPicture(), Qt::KeepAspectRatio));
}

}  // namespace arvesk
