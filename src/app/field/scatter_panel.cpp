#include "app/field/scatter_panel.h"

#include "app/look/look.h"
#include "io/project/recipe_file.h"
#include "scene/kinds.h"

#include <QFileDialog>
#include <cmath>

namespace thicket::app {
namespace {

constexpr double kAnyHeight = 1e9;

QWidget* pair(NumberBox* a, NumberBox* b) {
    auto* both = new QWidget;
    auto* line = new QHBoxLayout(both);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(6);
    for (NumberBox* box : {a, b}) {
        box->setMinimumWidth(0);
        box->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
        line->addWidget(box, 1);
    }
    return both;
}

} // namespace

ScatterPanel::ScatterPanel(Workbench& bench, QWidget* parent) : Panel(tr("Field"), parent), m_bench(bench) {
    m_facts = makeLabel({});
    m_facts->setWordWrap(true);
    m_facts->setTextInteractionFlags(Qt::TextSelectableByMouse);
    body->addWidget(m_facts);
    m_role = new ChoiceBox;
    for (const auto& role : kRoles)
        m_role->addItem(QString::fromLatin1(role.name));
    body->addWidget(fieldRow(tr("Role"), m_role, tr("What the field is to the scene")));
    m_controls = new QWidget;
    auto* column = new QVBoxLayout(m_controls);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    body->addWidget(m_controls);
    m_surface = new ChoiceBox;
    m_surface->setObjectName(QStringLiteral("surface"));
    column->addWidget(fieldRow(tr("On"), m_surface, tr("Level ground, or a mesh with all its copies")));
    m_ground = new QWidget;
    auto* ground = new QVBoxLayout(m_ground);
    ground->setContentsMargins(0, 0, 0, 0);
    ground->setSpacing(4);
    column->addWidget(m_ground);
    m_height = new NumberBox(-1e6, 1e6, 2, tr(" m"));
    ground->addWidget(fieldRow(tr("At height"), m_height, tr("Of the level ground")));
    for (int i = 0; i < 2; ++i) {
        m_low[i] = new NumberBox(-1e6, 1e6, 1, tr(" m"));
        m_high[i] = new NumberBox(-1e6, 1e6, 1, tr(" m"));
    }
    ground->addWidget(fieldRow(tr("From x, z"), pair(m_low[0], m_low[1]), tr("One corner of the ground")));
    ground->addWidget(fieldRow(tr("To x, z"), pair(m_high[0], m_high[1]), tr("The other corner")));
    m_density = new NumberBox(1e-6, 1e4, 4, tr(" a m²"));
    m_density->setObjectName(QStringLiteral("density"));
    column->addWidget(fieldRow(tr("Density"), m_density, tr("Copies a square metre of surface")));
    for (int i = 0; i < 2; ++i) {
        m_slope[i] = new NumberBox(0, 90, 1, QStringLiteral("°"));
        m_heights[i] = new NumberBox(-kAnyHeight, kAnyHeight, 2, i == 0 ? tr(" m") : QString());
    }
    m_heights[0]->setSpecialValueText(tr("any"));
    m_heights[1]->setTopText(tr("any"));
    column->addWidget(fieldRow(tr("Slope"), pair(m_slope[0], m_slope[1]), tr("Only where the surface is so steep")));
    column->addWidget(
        fieldRow(tr("Height"), pair(m_heights[0], m_heights[1]), tr("Only where the surface lies so high")));
    m_where = new WhereRows(bench, [this](const QString& label, const auto& how) { change(label, how); });
    column->addWidget(m_where);
    column->addSpacing(4);
    column->addWidget(makeLabel(tr("What is scattered"), "title"));
    m_assets = new QVBoxLayout;
    m_assets->setSpacing(6);
    column->addLayout(m_assets);
    m_seed = new NumberBox(0, 4e9, 0, {});
    column->addWidget(fieldRow(tr("Seed"), m_seed, tr("The same seed gives the same field")));
    m_save = makeButton(tr("Save recipe…"), tr("Keep how this is scattered, for another project or surface"));
    m_again = makeButton(tr("Another seed"), tr("Scatter anew, elsewhere by chance"), true);
    m_again->setObjectName(QStringLiteral("anotherSeed"));
    m_stand = makeButton(tr("Stand on the ground"),
                         tr("Move each copy up or down to the terrain under it; those beside it stay"), true);
    m_stand->setObjectName(QStringLiteral("standOnGround"));
    footer->addWidget(m_stand);
    footer->addWidget(m_save);
    footer->addWidget(m_again, 1);

    connect(m_role, &QComboBox::activated, this, [this](int i) {
        if (const Subject* s = field()) {
            Subject after = *s;
            after.role = kRoles[i].value;
            m_bench.session.document.push(changeSubject(m_bench.session.scene(), std::move(after), "Change the role"));
        }
    });
    connect(m_surface, &QComboBox::activated, this, [this](int i) {
        change(tr("Scatter on another surface"),
               [id = m_surface->itemData(i).toUInt()](ScatterRecipe& r) { r.surface = id; });
    });
    const auto number = [this](NumberBox* box, const QString& label, double ScatterRecipe::*member) {
        connect(box, &NumberBox::chosen, this,
                [this, label, member](double v) { change(label, [member, v](ScatterRecipe& r) { r.*member = v; }); });
    };
    number(m_density, tr("Change the density"), &ScatterRecipe::density);
    number(m_height, tr("Move the ground"), &ScatterRecipe::groundHeight);
    number(m_low[0], tr("Change the ground"), &ScatterRecipe::lowX);
    number(m_low[1], tr("Change the ground"), &ScatterRecipe::lowZ);
    number(m_high[0], tr("Change the ground"), &ScatterRecipe::highX);
    number(m_high[1], tr("Change the ground"), &ScatterRecipe::highZ);
    number(m_slope[0], tr("Change the slope"), &ScatterRecipe::leastSlope);
    number(m_slope[1], tr("Change the slope"), &ScatterRecipe::mostSlope);
    number(m_heights[0], tr("Change the height"), &ScatterRecipe::leastHeight);
    number(m_heights[1], tr("Change the height"), &ScatterRecipe::mostHeight);
    connect(m_seed, &NumberBox::chosen, this, [this](double v) {
        change(tr("Change the seed"), [v](ScatterRecipe& r) { r.seed = static_cast<std::uint32_t>(v); });
    });
    connect(m_stand, &QPushButton::clicked, this, [this] {
        if (const Subject* s = field())
            m_bench.grounds.standOnGround(s->id);
    });
    connect(m_again, &QPushButton::clicked, this,
            [this] { change(tr("Another seed"), [](ScatterRecipe& r) { ++r.seed; }); });
    connect(m_save, &QPushButton::clicked, this, [this] {
        const Subject* s = field();
        if (s == nullptr)
            return;
        const QString path = QFileDialog::getSaveFileName(
            this, tr("Save recipe"), QString::fromStdString(s->name) + QString::fromLatin1(kRecipeSuffix),
            tr("Recipes (*%1)").arg(QString::fromLatin1(kRecipeSuffix)));
        if (!path.isEmpty())
            m_bench.fields.saveRecipe(s->id, path);
    });
    connect(&bench.session.document, &Document::sceneChanged, this, &ScatterPanel::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &ScatterPanel::refresh);
    connect(&bench.fields, &FieldModel::recipeChanged, this, &ScatterPanel::refresh);
    refresh();
}

const Subject* ScatterPanel::field() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->instances() != nullptr ? s : nullptr;
}

void ScatterPanel::change(const QString& label, const std::function<void(ScatterRecipe&)>& how) {
    const Subject* s = field();
    const ScatterRecipe* recipe = s != nullptr ? m_bench.fields.recipe(s->id) : nullptr;
    if (recipe == nullptr)
        return;
    ScatterRecipe after = *recipe;
    how(after);
    if (after != *recipe)
        m_bench.fields.setRecipe(s->id, after, label);
}

void ScatterPanel::fillAssets(const ScatterRecipe& recipe) {
    clearLayout(m_assets);
    for (std::size_t i = 0; i < recipe.assets.size(); ++i) {
        const ScatterAsset& asset = recipe.assets[i];
        const Subject* subject = m_bench.session.scene().find(asset.subject);
        auto* box = new QWidget;
        auto* column = new QVBoxLayout(box);
        column->setContentsMargins(0, 0, 0, 0);
        column->setSpacing(3);
        column->addWidget(new NameLabel(subject != nullptr ? QString::fromStdString(subject->name) : tr("gone")));
        const auto number = [&](double low, double high, int decimals, const QString& suffix, double value,
                                double ScatterAsset::*member) {
            auto* own = new NumberBox(low, high, decimals, suffix);
            own->show(value);
            connect(own, &NumberBox::chosen, this, [this, i, member](double v) {
                change(tr("Change what is scattered"), [i, member, v](ScatterRecipe& r) { r.assets[i].*member = v; });
            });
            return own;
        };
        column->addWidget(fieldRow(tr("Weight"), number(0, 1e6, 2, {}, asset.weight, &ScatterAsset::weight),
                                   tr("Its share against the others'")));
        column->addWidget(fieldRow(tr("Size"),
                                   pair(number(0.001, 1e4, 2, tr(" ×"), asset.leastSize, &ScatterAsset::leastSize),
                                        number(0.001, 1e4, 2, tr(" ×"), asset.mostSize, &ScatterAsset::mostSize)),
                                   tr("Between these, evenly")));
        column->addWidget(
            fieldRow(tr("Turn, lean"),
                     pair(number(0, 360, 0, QStringLiteral("°"), asset.turnDegrees, &ScatterAsset::turnDegrees),
                          number(0, 90, 1, QStringLiteral("°"), asset.leanDegrees, &ScatterAsset::leanDegrees)),
                     tr("How far it may be turned, and how far it may lean")));
        column->addWidget(fieldRow(tr("Follow"), number(0, 1, 2, {}, asset.follow, &ScatterAsset::follow),
                                   tr("0: stands upright; 1: at right angles to the surface")));
        m_assets->addWidget(box);
    }
}

void ScatterPanel::refresh() {
    const Subject* s = field();
    if (s == nullptr)
        return;
    const InstancesBody& of = *s->instances();
    const ScatterRecipe* recipe = m_bench.fields.recipe(s->id);
    title->setText(QString::fromStdString(s->name));
    aside->setText(m_bench.fields.scattering(s->id)
                       ? tr("scattering …")
                       : tr("%1 placed").arg(groupedText(static_cast<qint64>(of.copies->size()))));
    for (int i = 0; i < static_cast<int>(std::size(kRoles)); ++i)
        if (kRoles[i].value == s->role)
            m_role->setCurrentIndex(i);
    m_controls->setVisible(recipe != nullptr);
    m_again->setVisible(recipe != nullptr);
    m_save->setVisible(recipe != nullptr);
    const auto& subjects = m_bench.session.scene().subjects;
    m_stand->setVisible(recipe == nullptr && std::any_of(subjects.begin(), subjects.end(), [](const Subject& other) {
                            return other.terrain() != nullptr;
                        }));
    const Vec3d size = s->bounds.size();
    constexpr int kFileWidth = 236;
    const QString file = fontMetrics().elidedText(QString::fromStdString(s->source.path.filename().string()),
                                                  Qt::ElideMiddle, kFileWidth);
    m_facts->setText(recipe != nullptr ? tr("%1 × %2 m of ground").arg(figureText(size.x(), 3), figureText(size.z(), 3))
                                       : tr("placed by the table<br>%1").arg(file.toHtmlEscaped()));
    if (recipe == nullptr)
        return;
    m_surface->clear();
    m_surface->addItem(tr("level ground"), 0U);
    for (const Subject& other : m_bench.session.scene().subjects)
        if (other.isMesh() || other.terrain() != nullptr)
            m_surface->addItem(QString::fromStdString(other.name), other.id);
    m_surface->setCurrentIndex(std::max(0, m_surface->findData(recipe->surface)));
    m_ground->setVisible(recipe->surface == 0);
    m_height->show(recipe->groundHeight);
    m_low[0]->show(recipe->lowX);
    m_low[1]->show(recipe->lowZ);
    m_high[0]->show(recipe->highX);
    m_high[1]->show(recipe->highZ);
    m_density->show(recipe->density);
    m_slope[0]->show(recipe->leastSlope);
    m_slope[1]->show(recipe->mostSlope);
    m_heights[0]->show(recipe->leastHeight);
    m_heights[1]->show(recipe->mostHeight);
    m_seed->show(recipe->seed);
    m_where->show(*recipe);
    fillAssets(*recipe);
}

} // namespace thicket::app
