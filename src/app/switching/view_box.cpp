#include "app/switching/view_box.h"

#include <QInputDialog>
#include <cmath>
#include <numbers>

namespace thicket::app {

ViewBox::ViewBox(Workbench& bench, QWidget* parent) : QWidget(parent), m_bench(bench) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    column->addWidget(makeLabel(tr("Stated view"), "title"));
    m_list = new ChoiceBox;
    m_list->setObjectName(QStringLiteral("views"));
    column->addWidget(fieldRow(tr("Screen"), m_list,
                               tr("For whom pixels and heights are stated. Switches that are free follow the screen; "
                                  "those set by hand stay as they were set")));
    m_fov = new NumberBox(5, 150, 1, QStringLiteral("°"));
    column->addWidget(fieldRow(tr("Field of view"), m_fov,
                               tr("Vertical field of view for which pixels and screen heights are stated")));
    m_lines = new NumberBox(120, 8640, 0, tr(" lines"));
    column->addWidget(
        fieldRow(tr("Height"), m_lines, tr("Height of the screen in pixels for which pixels are stated")));
    m_sight = new ChoiceBox;
    m_sight->setObjectName(QStringLiteral("sight"));
    column->addWidget(
        fieldRow(tr("Told apart"), m_sight,
                 tr("How switches are judged: pixel by pixel, or as an eye sees them where a degree of sight "
                    "has so many pixels. Pops follow at once; levels that come in unseen when a subject is "
                    "thinned again")));
    m_near = new NumberBox(0.001, 1000, 3, tr(" m"));
    m_near->setObjectName(QStringLiteral("nearPlane"));
    column->addWidget(fieldRow(tr("Near plane"), m_near, tr("Nothing nearer to the camera is drawn")));
    m_far = new NumberBox(1, 1e6, 0, tr(" m"));
    m_far->setObjectName(QStringLiteral("farPlane"));
    column->addWidget(fieldRow(tr("Far plane"), m_far,
                               tr("Nothing farther from the camera is drawn; shares of the reach are of this where "
                                  "a subject has no reach of its own")));
    m_follows = makeLabel({}, "small");
    m_follows->setWordWrap(true);
    column->addWidget(m_follows);
    const auto change = [this] { m_bench.switching.setStatedView(m_fov->value(), static_cast<int>(m_lines->value())); };
    connect(m_fov, &NumberBox::chosen, this, change);
    connect(m_lines, &NumberBox::chosen, this, change);
    connect(m_sight, &QComboBox::activated, this,
            [this](int i) { m_bench.switching.setPixelsADegree(m_sight->itemData(i).toDouble()); });
    const auto planes = [this] { m_bench.switching.setPlanes(m_near->value(), m_far->value()); };
    connect(m_near, &NumberBox::chosen, this, planes);
    connect(m_far, &NumberBox::chosen, this, planes);
    connect(m_list, &QComboBox::activated, this, &ViewBox::choose);
    connect(&bench.session.document, &Document::sceneChanged, this, &ViewBox::refresh);
    refresh();
}

void ViewBox::choose(int index) {
    const auto& usual = usualViews();
    const auto& own = m_bench.session.scene().settings.ownViews;
    const auto at = static_cast<std::size_t>(index);
    if (at < usual.size() + own.size()) {
        const NamedView view = at < usual.size() ? usual[at] : own[at - usual.size()];
        m_bench.switching.setStatedView(view.fovDegrees, view.lines);
    } else if (m_list->itemData(index).toString() == QStringLiteral("keep")) {
        bool kept = false;
        const QString name =
            QInputDialog::getText(this, tr("Keep this view"), tr("Name of the screen"), QLineEdit::Normal, {}, &kept);
        if (kept && !name.trimmed().isEmpty())
            m_bench.switching.keepStatedView(name.trimmed());
    } else if (const QString drop = m_list->itemData(index).toString(); drop.startsWith(QStringLiteral("drop:"))) {
        m_bench.switching.dropStatedView(drop.mid(5));
    }
    refresh();
}

void ViewBox::showSight(double pixels) {
    struct Usual {
        double pixels;
        QString name;
    };
    const Usual usual[] = {{0, tr("every pixel")},
                           {40, tr("40 a degree, at a desk")},
                           {60, tr("60 a degree, farther off")},
                           {85, tr("85 a degree, a handheld")}};
    m_sight->clear();
    for (const Usual& one : usual) {
        m_sight->addItem(one.name, one.pixels);
        if (one.pixels == pixels)
            m_sight->setCurrentIndex(m_sight->count() - 1);
    }
    if (m_sight->currentData().toDouble() == pixels)
        return;
    m_sight->addItem(tr("%1 a degree").arg(figureText(pixels, 3)), pixels);
    m_sight->setCurrentIndex(m_sight->count() - 1);
}

void ViewBox::refresh() {
    const View& view = m_bench.session.scene().settings.view;
    const double fov = view.fovY * 180 / std::numbers::pi;
    m_fov->show(fov);
    m_lines->show(view.lines);
    showSight(view.pixelsADegree);
    m_near->show(view.nearMetres);
    m_far->show(view.farMetres);
    m_list->clear();
    int current = -1;
    const auto offer = [&](const NamedView& v) {
        if (std::abs(v.fovDegrees - fov) < 0.05 && v.lines == view.lines && current < 0)
            current = m_list->count();
        m_list->addItem(QStringLiteral("%1 · %2°").arg(QString::fromStdString(v.name)).arg(v.fovDegrees, 0, 'g', 4));
    };
    for (const NamedView& v : usualViews())
        offer(v);
    for (const NamedView& v : m_bench.session.scene().settings.ownViews)
        offer(v);
    const bool known = current >= 0;
    m_list->insertSeparator(m_list->count());
    m_list->addItem(tr("Keep this view…"), QStringLiteral("keep"));
    for (const NamedView& v : m_bench.session.scene().settings.ownViews)
        m_list->addItem(tr("Drop %1").arg(QString::fromStdString(v.name)),
                        QStringLiteral("drop:") + QString::fromStdString(v.name));
    if (!known)
        m_list->setPlaceholderText(tr("own"));
    m_list->setCurrentIndex(current);
    int free = 0;
    int fixed = 0;
    for (const Subject& s : m_bench.session.scene().subjects)
        for (std::size_t i = 1; s.isMesh() && i < s.mesh().levels.size(); ++i) {
            fixed += s.mesh().levels[i].fixed ? 1 : 0;
            free += s.mesh().levels[i].fixed ? 0 : 1;
        }
    m_follows->setText(fixed == 0
                           ? (free == 1 ? tr("One switch follows it.") : tr("All %1 switches follow it.").arg(free))
                           : tr("%1 switches follow it, %2 set by hand stay.").arg(free).arg(fixed));
    m_follows->setVisible(free + fixed > 0);
}

} // namespace thicket::app
