import { Property, PropertyDraft, checkDefinition } from '@rule/core/schema';
import { DataTypes, InferAttributes, InferCreationAttributes, Model, ModelStatic, Sequelize } from 'sequelize';
import { Db } from '../platform/db';
import { invalid, notFound } from '../platform/problem';

interface PropertyModel extends Model<InferAttributes<PropertyModel>, InferCreationAttributes<PropertyModel>> {
  id: number;
  retired: boolean;
}

const define = (sequelize: Sequelize): ModelStatic<PropertyModel> =>
  sequelize.define<PropertyModel>(
    'property',
    {
      id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
      ...Object.fromEntries(['writtenName', 'caption', 'help', 'type', 'unit', 'feed', 'fileField', 'placeholder'].map((name) => [name, DataTypes.TEXT])),
      ...Object.fromEntries(['decimals', 'minLength', 'maxLength'].map((name) => [name, DataTypes.INTEGER])),
      ...Object.fromEntries(['min', 'max'].map((name) => [name, DataTypes.DOUBLE])),
      ...Object.fromEntries(['kinds', 'choices'].map((name) => [name, DataTypes.ARRAY(DataTypes.TEXT)])),
      required: DataTypes.BOOLEAN,
      searched: DataTypes.BOOLEAN,
      retired: { type: DataTypes.BOOLEAN, defaultValue: false },
    } as never,
    { tableName: 'properties', timestamps: false },
  );

/** The schema: its properties, defined, edited, retired and taken up again. */
export class Properties {
  private readonly model: ModelStatic<PropertyModel>;

  constructor(db: Db) {
    this.model = define(db.sequelize);
  }

  async list(): Promise<Property[]> {
    return (await this.model.findAll({ order: ['id'] })).map((row) => row.get({ plain: true }) as unknown as Property);
  }

  /** Properties that are in use, by number. */
  async active(): Promise<Map<number, Property>> {
    return new Map((await this.list()).filter((property) => !property.retired).map((property) => [property.id, property]));
  }

  async get(id: number): Promise<Property> {
    const row = await this.model.findByPk(id);
    if (!row) throw notFound(`Property ${id}`);
    return row.get({ plain: true }) as unknown as Property;
  }

  async define(draft: PropertyDraft): Promise<Property> {
    await this.check(draft, null);
    const row = await this.model.create(draft as never);
    return row.get({ plain: true }) as unknown as Property;
  }

  async edit(id: number, draft: PropertyDraft): Promise<Property> {
    await this.get(id);
    await this.check(draft, id);
    await this.model.update(draft as never, { where: { id } });
    return this.get(id);
  }

  async retire(id: number, retired: boolean): Promise<Property> {
    await this.get(id);
    await this.model.update({ retired }, { where: { id } });
    return this.get(id);
  }

  private async check(draft: PropertyDraft, id: number | null): Promise<void> {
    const problems = checkDefinition(
      draft,
      (await this.list()).filter((other) => other.id !== id),
    );
    if (problems.length) throw invalid('bad-definition', problems[0]!.message, problems);
  }
}
