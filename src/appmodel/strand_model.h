#pragma once
// Strands: in from lines and recipes, grown in the background, their levels and looks, and what thinning covers.

#include "appmodel/session.h"
#include "mesh/upright.h"

#include <functional>
#include <map>

namespace thicket::app {

class StrandModel : public QObject {
    Q_OBJECT
public:
    explicit StrandModel(Session& session) : m_session(session) {}

    // In
    void importLines(const QString& path);
    /// Grass on what is chosen, else on the widest ground there is, else on level ground.
    void growNew(std::uint32_t surface);
    void openRecipe(const QString& path);
    void saveRecipe(std::uint32_t id, const QString& path);
    /// Reads the lines of strands that came from a file from another one.
    void relink(std::uint32_t id, const QString& path);
    /// How strands of a file are read.
    struct Reading {
        double width; ///< metres, where it says nothing of that
        double unit;  ///< metres that one of its lengths is
        Up up;
        bool operator==(const Reading&) const = default;
    };
    /// Reads them again, otherwise. One step, in the background; of several each goes on from what the one before made.
    void readAs(std::uint32_t id, const std::function<void(Reading&)>& how, const QString& label);

    /// What they grow by, or will when growing ends; null when they came from a file.
    [[nodiscard]] const StrandRecipe* recipe(std::uint32_t id) const;
    [[nodiscard]] bool growing(std::uint32_t id) const { return m_pending.contains(id); }
    /// Grows again in the background; the strands stay as they are until then. One step, with the new recipe.
    void setRecipe(std::uint32_t id, const StrandRecipe& recipe, const QString& label);

    // Levels, chosen in the background, and looks
    /// One more level between the coarsest and straight lines; false when there is none to be had.
    bool addLevel(std::uint32_t id);
    /// Cards as the last level, or other ones; one card stands for so many strands. False when there are too few.
    bool setCards(std::uint32_t id, std::uint32_t perCard);
    void removeLevel(std::uint32_t id, int level);
    /// How far a level may be off; it becomes what it truly is.
    void setDeviation(std::uint32_t id, int level, double metres);
    void setLook(std::uint32_t id, const StrandLook& look, const QString& mergeKey = {});

    // Cover
    /// What was measured last for strands as they are now; empty while it is not there. Asks for it where it is not.
    [[nodiscard]] std::vector<StrandCover> cover(std::uint32_t id);

signals:
    void recipeChanged(std::uint32_t id);
    void coverChanged(std::uint32_t id);

private:
    [[nodiscard]] const Scene& scene() const { return m_session.scene(); }
    [[nodiscard]] const Subject* strands(std::uint32_t id) const;
    void edit(const Subject& after, const QString& label, const QString& mergeKey = {});
    void changeLevels(std::uint32_t id, const QString& label,
                      std::function<std::vector<StrandLevel>(const StrandsBody&)> how);

    Session& m_session;
    struct Pending {
        StrandRecipe recipe;
        int number = 0;
    };
    std::map<std::uint32_t, Pending> m_pending;
    int m_asked = 0;
    /// What a cover was measured of.
    struct Measured {
        std::shared_ptr<const StrandSet> set;
        Thinning thinning;
        StrandLook look;
        std::vector<double> from; ///< where levels come in
        std::shared_ptr<const StrandCards> cards;
        double reach = 0;
        bool operator==(const Measured&) const = default;
    };
    [[nodiscard]] Measured measuredOf(const Subject& subject) const;
    struct Cover {
        Measured of;
        std::vector<StrandCover> values;
    };
    std::map<std::uint32_t, Cover> m_covers;
    std::optional<std::pair<std::uint32_t, Measured>> m_measuring;
};

} // namespace thicket::app
