#include "app/field/where_rows.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QMenu>
#include <QVBoxLayout>

namespace thicket::app {
namespace {

constexpr double kNoLimit = 1e9; // as in recipes

} // namespace

WhereRows::WhereRows(Workbench& bench, Change change, QWidget* parent)
    : QWidget(parent), m_bench(bench), m_change(std::move(change)) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    m_mask = makeButton(tr("Choose…"), {});
    m_noMask = makeButton(QStringLiteral("×"), tr("Without a mask"));
    m_noMask->setProperty("flat2", true);
    m_mask->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    auto* mask = new QWidget;
    auto* maskLine = new QHBoxLayout(mask);
    maskLine->setContentsMargins(0, 0, 0, 0);
    maskLine->setSpacing(6);
    maskLine->addWidget(m_mask, 1);
    maskLine->addWidget(m_noMask);
    column->addWidget(fieldRow(tr("Mask"), mask, tr("A grey picture over the surface as seen from above")));
    m_near = new QVBoxLayout;
    m_near->setSpacing(3);
    column->addLayout(m_near);
    QPushButton* addNearButton =
        makeButton(tr("Keep a distance…"), tr("From the line of a route, or from the outlines of a subject"));
    column->addWidget(addNearButton);
    connect(m_mask, &QPushButton::clicked, this, &WhereRows::chooseMask);
    connect(m_noMask, &QPushButton::clicked, this,
            [this] { m_change(tr("Without a mask"), [](ScatterRecipe& r) { r.mask.clear(); }); });
    connect(addNearButton, &QPushButton::clicked, this, &WhereRows::addNear);
}

void WhereRows::show(const ScatterRecipe& recipe) {
    constexpr int kNameWidth = 96; // pixels; what the row has for a name
    const QString name = QString::fromStdString(recipe.mask.filename().string());
    m_mask->setText(recipe.mask.empty() ? tr("Choose…")
                                        : m_mask->fontMetrics().elidedText(name, Qt::ElideMiddle, kNameWidth));
    const QString about = tr("A grey picture over the surface as seen from above: white is full density");
    m_mask->setToolTip(
        recipe.mask.empty() ? about : about + QStringLiteral("\n") + QString::fromStdString(recipe.mask.string()));
    m_noMask->setVisible(!recipe.mask.empty());
    fillNear(recipe);
}

void WhereRows::chooseMask() {
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Choose a mask"), {}, tr("Pictures (*.png *.jpg *.jpeg *.tga *.bmp *.psd *.tif *.tiff *.webp)"));
    if (!file.isEmpty())
        m_change(tr("Choose a mask"), [&file](ScatterRecipe& r) { r.mask = file.toStdString(); });
}

void WhereRows::addNear() {
    QMenu menu;
    const Scene& scene = m_bench.session.scene();
    constexpr double kFirstDistance = 2;
    for (const Route& route : scene.settings.routes)
        menu.addAction(tr("from the route %1").arg(QString::fromStdString(route.name)), this,
                       [this, name = route.name] {
                           m_change(tr("Keep a distance"), [&name](ScatterRecipe& r) {
                               r.near.push_back({ScatterNear::Of::Route, name, 0, kFirstDistance, kNoLimit});
                           });
                       });
    for (const Subject& s : scene.subjects)
        if (s.isMesh())
            menu.addAction(tr("from %1").arg(QString::fromStdString(s.name)), this, [this, id = s.id] {
                m_change(tr("Keep a distance"), [id](ScatterRecipe& r) {
                    r.near.push_back({ScatterNear::Of::Subject, {}, id, kFirstDistance, kNoLimit});
                });
            });
    menu.exec(QCursor::pos());
}

void WhereRows::fillNear(const ScatterRecipe& recipe) {
    clearLayout(m_near);
    if (!recipe.near.empty())
        m_near->addWidget(makeLabel(tr("Distance from"), "small"));
    for (std::size_t i = 0; i < recipe.near.size(); ++i) {
        const ScatterNear& near = recipe.near[i];
        const Subject* subject = m_bench.session.scene().find(near.subject);
        auto* row = new QWidget;
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(0, 0, 0, 0);
        line->setSpacing(6);
        auto* least = new NumberBox(0, 1e6, 1, tr(" m"));
        auto* most = new NumberBox(0, kNoLimit, 1, {});
        least->show(near.least);
        most->setTopText(tr("any"));
        most->show(near.most);
        auto* away = makeButton(QStringLiteral("×"), tr("Take this limit away"));
        away->setProperty("flat2", true);
        for (NumberBox* own : {least, most}) {
            own->setMinimumWidth(0);
            own->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
            line->addWidget(own, 1);
        }
        line->addWidget(away);
        const QString name = near.of == ScatterNear::Of::Route ? QString::fromStdString(near.route)
                             : subject != nullptr              ? QString::fromStdString(subject->name)
                                                               : tr("gone");
        constexpr int kLabelWidth = 80;
        m_near->addWidget(fieldRow(fontMetrics().elidedText(name, Qt::ElideMiddle, kLabelWidth), row,
                                   tr("At least and at most so far from %1").arg(name)));
        connect(least, &NumberBox::chosen, this, [this, i](double v) {
            m_change(tr("Change a distance"), [i, v](ScatterRecipe& r) { r.near[i].least = v; });
        });
        connect(most, &NumberBox::chosen, this, [this, i](double v) {
            m_change(tr("Change a distance"), [i, v](ScatterRecipe& r) { r.near[i].most = v; });
        });
        connect(away, &QPushButton::clicked, this, [this, i] {
            m_change(tr("Take a distance away"),
                     [i](ScatterRecipe& r) { r.near.erase(r.near.begin() + static_cast<std::ptrdiff_t>(i)); });
        });
    }
}

} // namespace thicket::app
