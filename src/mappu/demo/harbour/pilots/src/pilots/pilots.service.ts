import { Injectable } from '@nestjs/common';
import { InjectRepository } from '@nestjs/typeorm';
import { Repository } from 'typeorm';
import { Pilot } from './pilot.entity';
import { CreatePilot, Rank, UpdatePilot } from './pilots.dto';

@Injectable()
export class PilotsService {
  constructor(@InjectRepository(Pilot) private readonly pilots: Repository<Pilot>) {}

  create(pilot: CreatePilot) {
    return this.pilots.save({ name: pilot.name, callSign: pilot.callSign, rank: pilot.rank });
  }

  list(rank: Rank | undefined, limit: number) {
    return this.pilots.find({ where: { rank }, take: limit });
  }

  find(id: string) {
    return this.pilots.findOneBy({ id });
  }

  update(id: string, changes: UpdatePilot) {
    return this.pilots.update(id, { name: changes.name, rank: changes.rank });
  }

  replace(roster: CreatePilot[]) {
    return Promise.all(roster.map((pilot) => this.pilots.save({ name: pilot.name, callSign: pilot.callSign })));
  }
}
