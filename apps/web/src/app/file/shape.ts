import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { FileDetails, FileGeometry } from '@rule/contract';
import { convert } from '@rule/core/values';
import { RuleColumn, RuleTable } from '../kit';
import { plain } from './plain';

/** Picture, measures, mass and material of a file's shape. */
@Component({
  selector: 'rule-file-shape',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable],
  template: `
    @let g = geometry();
    @let d = details();
    @if (g.shapes.length || g.measured || d.file.kind === 'part' || d.file.kind === 'assembly') {
      <section class="card">
        <h2>Geometry</h2>
        @if (hasPicture()) {
          <img [src]="'/api/files/' + d.file.id + '/picture?v=' + d.file.hash.slice(0, 12)" [alt]="'Picture of ' + d.file.name" />
        }
        @if (!g.measured) {
          <p class="soft">Not measured yet. It is measured in the background; see Jobs for progress.</p>
        }
        @if (g.problem) {
          <p class="note bad">{{ g.problem }}</p>
        }
        <dl class="facts">
          @if (g.shape; as s) {
            <dt>Volume</dt>
            <dd>{{ figure(s.volume) }} mm³</dd>
            <dt>Area</dt>
            <dd>{{ figure(s.area) }} mm²</dd>
            <dt>Box</dt>
            <dd>{{ figure(s.box.max[0] - s.box.min[0]) }} × {{ figure(s.box.max[1] - s.box.min[1]) }} × {{ figure(s.box.max[2] - s.box.min[2]) }} mm</dd>
            <dt>Centre of gravity</dt>
            <dd>{{ place(s.centroid[0]) }}, {{ place(s.centroid[1]) }}, {{ place(s.centroid[2]) }} mm</dd>
            @if (s.bodies.length > 1) {
              <dt>Bodies</dt>
              <dd>{{ s.bodies.length }}</dd>
            }
          }
          @if (g.density) {
            <dt>Density</dt>
            <dd>{{ figure(g.density) }} kg/m³</dd>
          }
          @if (g.mass; as m) {
            <dt>Mass by geometry</dt>
            <dd>{{ mass(m.computed) }}</dd>
            <dt>Mass as written</dt>
            <dd [class.bad]="m.state === 'stale'">
              {{ mass(m.written) }}
              @if (m.state === 'stale') {
                <span class="chip bad">stale</span>
              }
              @if (m.state === 'unreadable') {
                <span class="chip bad">cannot be read as a mass</span>
              }
            </dd>
          }
          @if (g.material && g.material !== 'neither') {
            <dt>Material in the model</dt>
            <dd>
              {{ g.modelMaterial ?? '—' }} <span class="chip" [class.bad]="g.material === 'differ'">{{ materialText(g) }}</span>
            </dd>
          }
        </dl>
        @if (g.missing.length) {
          <p class="warn">The mass lacks {{ g.missing.slice(0, 5).join(', ') }}{{ g.missing.length > 5 ? ' and ' + (g.missing.length - 5) + ' more' : '' }}.</p>
        }
        @if (bodies().length > 1) {
          <rule-table label="Bodies" [rows]="bodies()">
            <ng-container *ruleColumn="let body of bodies(); let i = index; name: 'Body'">{{ i + 1 }}</ng-container>
            <ng-container *ruleColumn="let body of bodies(); name: 'Volume, mm³'; num: true">{{ figure(body.volume) }}</ng-container>
            <ng-container *ruleColumn="let body of bodies(); name: 'Area, mm²'; num: true">{{ figure(body.area) }}</ng-container>
          </rule-table>
        }
      </section>
    }
  `,
  styles: `
    img {
      display: block;
      width: 100%;
      max-width: 320px;
      margin: 0 auto 8px;
    }
    section p {
      margin: 2px 0;
      overflow-wrap: anywhere;
    }
  `,
})
export class FileShape {
  readonly details = input.required<FileDetails>();
  readonly geometry = input.required<FileGeometry>();
  protected readonly figure = plain;
  protected readonly hasPicture = computed(() => this.geometry().shapes.some((shape) => shape.picture));
  protected readonly bodies = computed(() => (this.details().file.kind === 'part' ? (this.geometry().shape?.bodies ?? []) : []));

  /** Coordinates to 0.0001 mm. */
  protected place(millimetres: number): string {
    return plain(Number(millimetres.toFixed(4)));
  }
  protected mass(kilograms: number | null): string {
    if (kilograms === null) return '—';
    const unit = this.geometry().unit ?? 'kg';
    return unit === 'kg' ? `${plain(kilograms)} kg` : `${plain(convert(kilograms, 'kg', unit))} ${unit} (${plain(kilograms)} kg)`;
  }
  protected materialText({ material }: FileGeometry): string {
    return material === 'agree' ? 'as the property says' : material === 'differ' ? 'the property says another one' : (material ?? '');
  }
}
