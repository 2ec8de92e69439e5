#include "app/strands/grow_panel.h"

#include "app/look/look.h"
#include "base/text.h"
#include "io/project/recipe_file.h"
#include "scene/kinds.h"

#include <QColorDialog>
#include <QFileDialog>
#include <cmath>

namespace thicket::app {
namespace {

constexpr double kPerMetre = 1000; // of what widths are shown in

QColor shownOf(const Vec3f& linear) {
    const auto channel = [](float v) { return std::sqrt(std::clamp(v, 0.0F, 1.0F)); };
    return QColor::fromRgbF(channel(linear.x()), channel(linear.y()), channel(linear.z()));
}

Vec3f linearOf(const QColor& shown) {
    return {shown.redF() * shown.redF(), shown.greenF() * shown.greenF(), shown.blueF() * shown.blueF()};
}

} // namespace

GrowPanel::GrowPanel(Workbench& bench, QWidget* parent) : Panel(tr("Strands"), parent), m_bench(bench) {
    m_facts = makeLabel({});
    m_facts->setWordWrap(true);
    m_facts->setTextInteractionFlags(Qt::TextSelectableByMouse);
    body->addWidget(m_facts);
    m_relink = makeButton(tr("Point to the file…"), tr("Its lines were not found where the project says"));
    m_relink->setObjectName(QStringLiteral("relinkStrands"));
    body->addWidget(m_relink);
    connect(m_relink, &QPushButton::clicked, this, [this] {
        const Subject* s = strands();
        const QString file =
            QFileDialog::getOpenFileName(this, tr("Point to the file"), {}, tr("Lines (*.glb *.gltf *.obj)"));
        if (s != nullptr && !file.isEmpty())
            m_bench.strands.relink(s->id, file);
    });
    m_fromFile = new QWidget;
    auto* said = new QVBoxLayout(m_fromFile);
    said->setContentsMargins(0, 0, 0, 0);
    said->setSpacing(4);
    m_unit = new ChoiceBox;
    m_unit->setObjectName(QStringLiteral("strandsUnit"));
    said->addWidget(fieldRow(tr("Unit"), m_unit, tr("What one of the file's lengths is")));
    m_up = new ChoiceBox;
    m_up->setObjectName(QStringLiteral("strandsUp"));
    for (const Named<Up>& up : kUps)
        m_up->addItem(QString::fromLatin1(up.name));
    said->addWidget(fieldRow(tr("Its axes"), m_up, tr("Which one points up in the file")));
    m_width = new NumberBox(0.001, 1e4, 3, tr(" mm"));
    m_width->setObjectName(QStringLiteral("strandsWidth"));
    m_widthRow = fieldRow(tr("Width"), m_width, tr("Of every strand, as the file says nothing of it"));
    said->addWidget(m_widthRow);
    body->addWidget(m_fromFile);
    connect(m_unit, &QComboBox::activated, this, [this](int i) {
        read(tr("Change the unit of %1"),
             [metres = m_unit->itemData(i).toDouble()](StrandModel::Reading& r) { r.unit = metres; });
    });
    connect(m_up, &QComboBox::activated, this, [this](int i) {
        read(tr("Turn %1 upright"), [up = static_cast<Up>(i)](StrandModel::Reading& r) { r.up = up; });
    });
    connect(m_width, &NumberBox::chosen, this, [this](double v) {
        read(tr("Change the width of %1"), [v](StrandModel::Reading& r) { r.width = v / kPerMetre; });
    });
    m_controls = new QWidget;
    auto* column = new QVBoxLayout(m_controls);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    body->addWidget(m_controls);
    m_surface = new ChoiceBox;
    m_surface->setObjectName(QStringLiteral("growOn"));
    column->addWidget(fieldRow(tr("On"), m_surface, tr("Level ground, a terrain, or a mesh with all its copies")));
    using R = StrandRecipe;
    number(column, tr("Density"), tr("Strands a square metre"), new NumberBox(1e-4, 1e8, 2, tr(" a m²")), 1,
           [](R& r) -> double& { return r.where.density; })
        ->setObjectName(QStringLiteral("growDensity"));
    number(column, tr("Length"), tr("Of a strand, on average"), new NumberBox(0.1, 1e6, 1, tr(" mm")), 1000,
           [](R& r) -> double& { return r.length; })
        ->setObjectName(QStringLiteral("growLength"));
    number(column, tr("Varies by"), tr("Shorter or longer by so much at most"), new NumberBox(0, 95, 0, tr(" %")), 100,
           [](R& r) -> double& { return r.lengthVary; });
    number(column, tr("Width"), tr("At the root"), new NumberBox(0.001, 1e4, 3, tr(" mm")), 1000,
           [](R& r) -> double& { return r.width; });
    number(column, tr("At the tip"), tr("Of the width at the root"), new NumberBox(0, 100, 0, tr(" %")), 100,
           [](R& r) -> double& { return r.tip; });
    number(column, tr("Lean"), tr("Of roots, away from upright at most"), new NumberBox(0, 90, 0, QStringLiteral("°")),
           1, [](R& r) -> double& { return r.leanDegrees; });
    number(column, tr("Bend"), tr("How far tips turn down"), new NumberBox(0, 180, 0, QStringLiteral("°")), 1,
           [](R& r) -> double& { return r.bendDegrees; });
    number(column, tr("Follow"), tr("0: they stand upright; 100: at right angles to the surface"),
           new NumberBox(0, 100, 0, tr(" %")), 100, [](R& r) -> double& { return r.follow; });
    number(column, tr("Curl"), tr("Turns about the strand's own line"), new NumberBox(0, 50, 1, tr(" turns")), 1,
           [](R& r) -> double& { return r.curl; });
    number(column, tr("Curl width"), tr("How far from its line a curl leads"), new NumberBox(0, 1e5, 1, tr(" mm")),
           1000, [](R& r) -> double& { return r.curlMetres; });
    number(column, tr("Clump"), tr("How much tips lean together"), new NumberBox(0, 100, 0, tr(" %")), 100,
           [](R& r) -> double& { return r.clump; });
    number(column, tr("Clumps every"), tr("How far apart clumps are"), new NumberBox(1, 1e6, 0, tr(" mm")), 1000,
           [](R& r) -> double& { return r.clumpMetres; });
    number(column, tr("Slope up to"), tr("Only where the surface is no steeper"),
           new NumberBox(0, 90, 0, QStringLiteral("°")), 1, [](R& r) -> double& { return r.where.mostSlope; });
    auto* low = new NumberBox(-1e9, 1e9, 2, tr(" m"));
    low->setSpecialValueText(tr("any"));
    number(column, tr("Height from"), tr("Only where the surface lies at least so high"), low, 1,
           [](R& r) -> double& { return r.where.leastHeight; });
    auto* high = new NumberBox(-1e9, 1e9, 2, {});
    high->setTopText(tr("any"));
    number(column, tr("Height to"), tr("Only where the surface lies no higher"), high, 1,
           [](R& r) -> double& { return r.where.mostHeight; });
    m_where = new WhereRows(bench, [this](const QString& label, const auto& how) {
        change(label, [&how](StrandRecipe& r) { how(r.where); });
    });
    column->addWidget(m_where);
    m_points = new NumberBox(2, 64, 0, tr(" a strand"));
    column->addWidget(fieldRow(tr("Points"), m_points, tr("Of the finest level")));
    m_seed = new NumberBox(0, 4e9, 0, {});
    column->addWidget(fieldRow(tr("Seed"), m_seed, tr("The same seed gives the same strands")));
    body->addSpacing(4);
    body->addWidget(makeLabel(tr("What they look like"), "title"));
    m_root = makeButton({}, tr("Colour at the root"));
    m_tip = makeButton({}, tr("Colour at the tip"));
    body->addWidget(fieldRow(tr("Root"), m_root, tr("Colour at the root")));
    body->addWidget(fieldRow(tr("Tip"), m_tip, tr("Colour at the tip")));
    m_vary = new NumberBox(0, 100, 0, tr(" %"));
    m_vary->setPrefix(QStringLiteral("± "));
    body->addWidget(fieldRow(tr("Lightness"), m_vary, tr("Strands are darker or lighter by so much at most")));
    m_save = makeButton(tr("Save recipe…"), tr("Keep how these grow, for another project or surface"));
    m_again = makeButton(tr("Another seed"), tr("Grow anew, elsewhere by chance"), true);
    m_again->setObjectName(QStringLiteral("growAgain"));
    footer->addWidget(m_save);
    footer->addWidget(m_again, 1);

    connect(m_surface, &QComboBox::activated, this, [this](int i) {
        change(tr("Grow on another surface"),
               [id = m_surface->itemData(i).toUInt()](StrandRecipe& r) { r.where.surface = id; });
    });
    connect(m_points, &NumberBox::chosen, this, [this](double v) {
        change(tr("Change the points"), [v](StrandRecipe& r) { r.points = static_cast<std::uint32_t>(v); });
    });
    connect(m_seed, &NumberBox::chosen, this, [this](double v) {
        change(tr("Change the seed"), [v](StrandRecipe& r) { r.where.seed = static_cast<std::uint32_t>(v); });
    });
    connect(m_again, &QPushButton::clicked, this, [this] {
        const Subject* s = strands();
        if (s != nullptr && !s->strands()->strands && s->strands()->recipe) // what was lost, as it was
            m_bench.strands.setRecipe(s->id, *s->strands()->recipe, tr("Grow again"));
        else
            change(tr("Another seed"), [](StrandRecipe& r) { ++r.where.seed; });
    });
    connect(m_root, &QPushButton::clicked, this, [this] { chooseColour(false); });
    connect(m_tip, &QPushButton::clicked, this, [this] { chooseColour(true); });
    connect(m_vary, &NumberBox::chosen, this, [this](double v) {
        if (const Subject* s = strands()) {
            StrandLook look = s->strands()->look;
            look.vary = v / 100;
            m_bench.strands.setLook(s->id, look);
        }
    });
    connect(m_save, &QPushButton::clicked, this, [this] {
        const Subject* s = strands();
        if (s == nullptr)
            return;
        const QString path = QFileDialog::getSaveFileName(
            this, tr("Save recipe"), QString::fromStdString(s->name) + QString::fromLatin1(kStrandRecipeSuffix),
            tr("Recipes of strands (*%1)").arg(QString::fromLatin1(kStrandRecipeSuffix)));
        if (!path.isEmpty())
            m_bench.strands.saveRecipe(s->id, path);
    });
    connect(&bench.session.document, &Document::sceneChanged, this, &GrowPanel::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &GrowPanel::refresh);
    connect(&bench.strands, &StrandModel::recipeChanged, this, &GrowPanel::refresh);
    refresh();
}

NumberBox* GrowPanel::number(QVBoxLayout* column, const QString& name, const QString& tip, NumberBox* box, double unit,
                             std::function<double&(StrandRecipe&)> of) {
    column->addWidget(fieldRow(name, box, tip));
    m_rows.push_back({box, unit, of});
    connect(box, &NumberBox::chosen, this, [this, name, unit, of](double v) {
        change(tr("Change: %1").arg(name.toLower()), [unit, of, v](StrandRecipe& r) { of(r) = v / unit; });
    });
    return box;
}

const Subject* GrowPanel::strands() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->strands() != nullptr ? s : nullptr;
}

void GrowPanel::change(const QString& label, const std::function<void(StrandRecipe&)>& how) {
    const Subject* s = strands();
    const StrandRecipe* recipe = s != nullptr ? m_bench.strands.recipe(s->id) : nullptr;
    if (recipe == nullptr)
        return;
    StrandRecipe after = *recipe;
    how(after);
    if (after != *recipe)
        m_bench.strands.setRecipe(s->id, after, label);
}

void GrowPanel::chooseColour(bool tip) {
    const Subject* s = strands();
    if (s == nullptr)
        return;
    StrandLook look = s->strands()->look;
    Vec3f& own = tip ? look.tip : look.root;
    const QColor chosen = QColorDialog::getColor(shownOf(own), this, tip ? tr("Tip") : tr("Root"));
    if (!chosen.isValid())
        return;
    own = linearOf(chosen);
    m_bench.strands.setLook(s->id, look);
}

void GrowPanel::refresh() {
    const Subject* s = strands();
    if (s == nullptr)
        return;
    const StrandsBody& of = *s->strands();
    const StrandRecipe* recipe = m_bench.strands.recipe(s->id);
    title->setText(QString::fromStdString(s->name));
    aside->setText(m_bench.strands.growing(s->id)
                       ? tr("growing …")
                       : tr("%1 strands").arg(groupedText(static_cast<qint64>(copyCount(*s)))));
    QString facts = of.strands ? tr("%1 points · %2 long · %3 wide on average")
                                     .arg(groupedText(static_cast<qint64>(of.strands->points.size())),
                                          lengthText(of.places.meanLength), lengthText(of.places.meanWidth))
                               : tr("their lines are missing");
    if (recipe == nullptr)
        facts += (of.strands && !of.ownWidths ? tr("<br>from %1, which says nothing of widths") : tr("<br>from %1"))
                     .arg(QString::fromStdString(s->source.path.filename().string()).toHtmlEscaped());
    m_facts->setText(facts);
    m_controls->setVisible(recipe != nullptr);
    m_relink->setVisible(recipe == nullptr && !of.strands);
    m_fromFile->setVisible(recipe == nullptr && of.strands != nullptr);
    showReading(of);
    m_again->setText(of.strands ? tr("Another seed") : tr("Grow again"));
    m_save->setVisible(recipe != nullptr);
    m_again->setVisible(recipe != nullptr);
    const auto swatch = [](QPushButton* button, const Vec3f& colour) {
        QPixmap square(14, 14);
        square.fill(shownOf(colour));
        button->setIcon(square);
        button->setText(shownOf(colour).name());
    };
    swatch(m_root, of.look.root);
    swatch(m_tip, of.look.tip);
    m_vary->show(100 * of.look.vary);
    if (recipe == nullptr)
        return;
    m_surface->clear();
    m_surface->addItem(tr("level ground"), 0U);
    for (const Subject& other : m_bench.session.scene().subjects)
        if (other.isMesh() || other.terrain() != nullptr)
            m_surface->addItem(QString::fromStdString(other.name), other.id);
    m_surface->setCurrentIndex(std::max(0, m_surface->findData(recipe->where.surface)));
    StrandRecipe copy = *recipe;
    for (const Row& row : m_rows)
        row.box->show(row.of(copy) * row.unit);
    m_where->show(recipe->where);
    m_points->show(recipe->points);
    m_seed->show(recipe->where.seed);
}

void GrowPanel::read(const QString& label, const std::function<void(StrandModel::Reading&)>& how) {
    if (const Subject* s = strands())
        m_bench.strands.readAs(s->id, how, label);
}

void GrowPanel::showReading(const StrandsBody& of) {
    m_up->setCurrentIndex(static_cast<int>(of.up));
    m_widthRow->setVisible(!of.ownWidths);
    m_width->show(kPerMetre * of.width);
    m_unit->clear();
    for (const LengthUnit& unit : kLengthUnits) {
        m_unit->addItem(QString::fromLatin1(unit.name), unit.metres);
        if (unit.metres == of.unit)
            m_unit->setCurrentIndex(m_unit->count() - 1);
    }
    if (m_unit->currentData().toDouble() != of.unit) { // one that was said in metres
        m_unit->addItem(lengthText(of.unit), of.unit);
        m_unit->setCurrentIndex(m_unit->count() - 1);
    }
}

} // namespace thicket::app
