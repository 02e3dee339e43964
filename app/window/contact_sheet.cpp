#include "app/window/contact_sheet.h"

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
                           const QString& node, QWidget* parent)
    : QWidget(parent, Qt::Window),
      m_model(model),
      m_site(camera),
      m_node(node.toStdString()),
      m_plan(model->snapshot()),
      m_size(new QComboBox(this)),
      m_target(new QComboBox(this)),
      m_head(new QLabel(this)),
      m_keep(new QCheckBox(tr("Keep what is touched where it is"), this)),
      m_grid(new QGridLayout),
      m_evaluator(std::make_shared<Evaluator>(std::move(files))) {
  setObjectName(QStringLiteral("contact_sheet"));
  setWindowTitle(tr("Contact sheet"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(1060, 740);
  m_head->setObjectName(QStringLiteral("sheet_head"));
  m_target->setObjectName(QStringLiteral("sheet_target"));
  m_target->setAccessibleName(tr("Whose seed"));
  m_target->addItem(tr("Seed of the plan"), QString());
  for (const Node& n : m_plan->nodes) {
    const NodeKind* kind = kindOf(n);
    if (kind && kind->usesSeed && !n.isSkipped) m_target->addItem(tr("Seed of %1").arg(text(n.title)), text(n.uid));
  }
  const int at = m_target->findData(node);
  m_target->setCurrentIndex(at < 0 ? 0 : at);
  if (at < 0) m_node.clear();
  m_size->setObjectName(QStringLiteral("sheet_size"));
  m_size->setAccessibleName(tr("How many"));
  for (const int side : {3, 4, 5}) m_size->addItem(QStringLiteral("%1 × %1").arg(side), side);
  auto* head = new QHBoxLayout;
  head->addWidget(m_head, 1);
  m_keep->setObjectName(QStringLiteral("sheet_keep"));
  m_keep->setToolTip(tr("Placements that a hand touched stay under another seed; only the others are sown anew"));
  m_keep->hide();  // until there are some
  head->addWidget(m_keep);
  head->addWidget(m_target);
  head->addWidget(m_size);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 12, 16, 16);
  column->setSpacing(10);
  column->addLayout(head);
  m_grid->setSpacing(8);
  column->addLayout(m_grid, 1);
  connect(m_size, &QComboBox::activated, this, [this] {
    m_side = m_size->currentData().toInt();
    rebuild();
  });
  connect(m_target, &QComboBox::activated, this, [this] {
    m_node = m_target->currentData().toString().toStdString();
    rebuild();
  });
  rebuild();
}

std::uint64_t ContactSheet::seedOf(int cell) const {
  const Node* node = m_node.empty() ? nullptr : m_plan->find(m_node);
  return (node ? node->seed : m_plan->settings.seed) + static_cast<std::uint64_t>(cell);
}

void ContactSheet::rebuild() {
  m_job.cancel();
  for (QToolButton* cell : m_cells) delete cell;
  m_cells.clear();
  m_done = 0;
  for (int i = 0; i < m_side * m_side; ++i) {
    auto* cell = new QToolButton(this);
    cell->setObjectName(QStringLiteral("sheet_cell_%1").arg(i));
    cell->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
    cell->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    cell->setText(i == 0 ? tr("seed %1, as it is").arg(seedOf(i)) : tr("seed %1").arg(seedOf(i)));
    cell->setAccessibleName(cell->text());
    cell->setEnabled(false);
    connect(cell, &QToolButton::clicked, this, [this, i] { choose(i); });
    m_grid->addWidget(cell, i / m_side, i % m_side);
    m_cells.push_back(cell);
  }
  drawNext();
}

/// One picture after the other, so that each shows as soon as it is there; nodes that the seed does not touch are
/// worked out once.
void ContactSheet::drawNext() {
  m_head->setText(
      m_done < m_side * m_side
          ? tr("%1 of %2 drawn · click the one to keep · Esc keeps the plan as it is").arg(m_done).arg(m_side * m_side)
          : tr("Click the one to keep · Esc keeps the plan as it is"));
  if (m_done >= m_side * m_side) return;
  const int width = std::max(120, (this->width() - 32 - 8 * (m_side - 1)) / m_side - 12);
  const int height = std::max(80, (this->height() - 76 - 8 * (m_side - 1)) / m_side - 34);
  m_job.ask([this, plan = m_plan, node = m_node, seed = seedOf(m_done), from = m_done == 0 ? m_site : m_camera,
             isFirst = m_done == 0, width, height, evaluator = m_evaluator](const Task& task) -> std::function<void()> {
    Plan varied = *plan;
    if (Node* n = node.empty() ? nullptr : varied.find(node))
      n->seed = seed;
    else
      varied.settings.seed = seed;
    EvalRequest request;
    request.quality = Quality::Draft;
    request.task = {task.stop, {}};
    const Evaluation evaluation = evaluator->evaluate(varied, request);
    if (evaluation.isCancelled) return {};
    std::vector<PointsPtr> bare;
    PictureInput input = pictureInputOf(varied, evaluation, {}, bare);
    Camera camera = from;
    if (isFirst) {  // what the next seed changes is what all are compared by
      if (Node* n = node.empty() ? nullptr : varied.find(node))
        ++n->seed;
      else
        ++varied.settings.seed;
      const Evaluation next = evaluator->evaluate(varied, request);
      if (next.isCancelled) return {};
      std::vector<PointsPtr> bareNext;
      camera = cameraOn(changedPlaces(input.layers, pictureInputOf(varied, next, {}, bareNext).layers), from,
                        static_cast<float>(width) / static_cast<float>(height));
    }
    const auto scene = PictureScene::build(std::move(input), task);
    if (!scene) return {};
    const PlanTotals totals = totalsOf(varied, evaluation);
    const std::size_t waiting = waitingTouches(*plan, evaluation);
    std::map<std::string, TouchUps> kept;
    if (isFirst) kept = keepingTouched(*plan, evaluation);
    const auto film = tracedFilm(**scene, camera, width, height, kSamples, task, {}, 1);
    if (!film) return {};
    QImage image(width, height, QImage::Format_RGB32);
    Array<std::uint32_t> pixels(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
    film->develop(pixels.data());
    for (const PointsPtr& points : bare) drawPoints(*points, {}, camera, 2, *film, pixels.data());
    std::copy(pixels.begin(), pixels.end(), reinterpret_cast<std::uint32_t*>(image.bits()));
    return [this, image, totals, camera, waiting, kept, isFirst] {
      m_camera = camera;
      QToolButton* cell = m_cells[static_cast<std::size_t>(m_done)];
      cell->setIcon(QIcon(QPixmap::fromImage(image)));
      cell->setIconSize(image.size());
      cell->setText(QStringLiteral("%1 · %2").arg(
          m_done == 0 ? tr("seed %1, as it is").arg(seedOf(m_done)) : tr("seed %1").arg(seedOf(m_done)),
          tr("%1 placed").arg(QLocale().toString(static_cast<qulonglong>(totals.placements)))));
      if (isFirst) {
        m_kept = kept;
        m_waiting = waiting;
        m_keep->setVisible(!kept.empty());
      } else if (waiting > m_waiting) {
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
  const std::uint64_t seed = seedOf(cell);
  m_model->edit(tr("Seed from contact sheet"), [&](Plan& plan) {
    if (Node* n = m_node.empty() ? nullptr : plan.find(m_node))
      n->seed = seed;
    else if (m_node.empty())
      plan.settings.seed = seed;
    if (!m_keep->isChecked() || m_keep->isHidden()) return;
    for (const auto& [uid, touches] : m_kept)
      if (Node* n = plan.find(uid)) n->params["touches"] = touches;
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

void ContactSheet::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  for (QToolButton* cell : m_cells) {
    const int width = (this->width() - 32 - 8 * (m_side - 1)) / m_side - 12;
    cell->setIconSize(
        cell->iconSize().scaled(width, (this->height() - 76 - 8 * (m_side - 1)) / m_side - 34, Qt::KeepAspectRatio));
  }
}

}  // namespace arvesk
