// Areas: the list of them, the settings that the chosen one has moved, and its shapes.
#pragma once

#include "document/document.h"
#include "drawing/brush_tool.h"
#include "drawing/shape_tool.h"
#include "steps/panel.h"
#include "widgets/fold_group.h"

#include <QHash>

#include <functional>
#include <vector>

class QListWidget;
class QMenu;
class QPushButton;
class QToolButton;

namespace yolk::app {

class AreasPanel : public Panel {
    Q_OBJECT
public:
    explicit AreasPanel(Document *document, QWidget *parent = nullptr);

    CanvasTool *tool() const; ///< of the chosen shape; null: it has none
    BrushTool *brush() const { return brush_; }
    ShapeTool *handles() const { return handles_; }
    QListWidget *list() const { return list_; }
    QPushButton *addButton(ShapeKind kind) const { return add_[size_t(kind)]; }
    QPushButton *lighten() const { return lighten_; }
    QPushButton *darken() const { return darken_; }
    QMenu *settingsMenu() const { return settingsMenu_; }
    QMenu *shapesMenu() const { return shapesMenu_; }
    ChoiceRow *look() const { return look_; }
    ChoiceRow *side() const { return side_; }
    /// By path, as in "tone.exposure", of what the area moves; by key of a shape or the brush. Null: none.
    ValueSlider *amount(const QString &path) const { return amounts_.value(path); }
    QWidget *shapeControl(const QString &key) const { return shapeControls_.value(key); }
    ValueSlider *strength() const { return strength_; }

    void addArea(ShapeKind kind);
    void addLight(bool lighter); ///< paints on the area of that name, or on a new one
    void cycleLook();
    void removeChosen();
    void makeAreaMenu(QMenu &menu, int index); ///< what can be done with an area of the list

Q_SIGNALS:
    void toolChanged();

private:
    template <class Field> void addShapeControl(FoldGroup *group, const Field &field);
    template <class Field> void addBrushControl(FoldGroup *group, const Field &field);
    void addSetting(const QString &path);
    void fillSettingsMenu();
    void refresh();
    void refreshList();
    void refreshAmounts();
    void refreshShape();
    void changeArea(const std::function<void(Area &)> &change, const QString &what, const QString &gesture = {});
    void changeShape(const std::function<void(AreaShape &)> &change, const QString &what, const QString &gesture = {});
    const AreaAmounts &shownAmounts(const Area &area) const { return outside_ ? area.outside : area.amounts; }

    Document *document_;
    Areas *areas_;
    BrushTool *brush_;
    ShapeTool *handles_;
    std::array<QPushButton *, kShapeKinds.size()> add_{};
    QPushButton *lighten_, *darken_;
    QListWidget *list_;
    QWidget *listButtons_;
    ChoiceRow *look_, *side_, *meets_, *which_ = nullptr;
    FoldGroup *listGroup_, *settingsGroup_, *shapeGroup_, *brushGroup_;
    ValueSlider *strength_;
    QWidget *amountsBox_;
    QVBoxLayout *amountsColumn_;
    QHash<QString, ValueSlider *> amounts_;
    QToolButton *addSetting_, *addShape_;
    QPushButton *removeShape_;
    QMenu *settingsMenu_, *shapesMenu_;
    QHash<QString, QWidget *> shapeControls_;
    std::vector<std::function<void(const AreaShape &)>> shapeShown_;
    std::vector<std::function<void(const Stroke &)>> brushShown_;
    std::vector<std::string> added_; ///< settings that were asked for and not moved yet
    bool outside_ = false, filling_ = false;
};

} // namespace yolk::app
