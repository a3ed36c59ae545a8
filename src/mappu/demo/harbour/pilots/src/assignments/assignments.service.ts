import { Injectable } from '@nestjs/common';
import { DataSource, Repository } from 'typeorm';
import { CreateAssignment, Remark } from './assignments.dto';

@Injectable()
export class AssignmentsService {
  constructor(
    private readonly source: DataSource,
    private readonly remarks: Repository<Remark>,
  ) {}

  create(assignment: CreateAssignment) {
    return this.source.getRepository('assignment').save({ mmsi: assignment.mmsi, boarding: assignment.boarding });
  }

  search(vessel: string) {
    return this.source.query(`SELECT * FROM assignment WHERE vessel LIKE '%${vessel}%'`);
  }

  find(number: number) {
    return this.source.getRepository('assignment').findOneBy({ number });
  }

  remark(number: number, remark: Remark) {
    return this.remarks.save({ number, text: remark.text, by: remark.by });
  }
}
