import { Injectable } from '@nestjs/common';
import { InjectRepository } from '@nestjs/typeorm';
import { Repository } from 'typeorm';
import { Licence } from './licence.entity';
import type { RenewLicence } from './licences.dto';

@Injectable()
export class LicencesService {
  constructor(@InjectRepository(Licence) private readonly licences: Repository<Licence>) {}

  enter(licence: Licence) {
    return this.licences.save({ id: licence.id, number: licence.number, holder: licence.holder });
  }

  renew(id: string, renewal: RenewLicence) {
    return this.licences.update(id, { until: renewal.until, note: renewal.note });
  }

  suspend(id: string, reason: string) {
    return this.licences.update(id, { suspended: true, reason });
  }
}
