import { Column, Entity, PrimaryGeneratedColumn } from 'typeorm';

@Entity()
export class Pilot {
  @PrimaryGeneratedColumn('uuid')
  id: string;

  @Column({ length: 60 })
  name: string;

  @Column({ length: 5, unique: true })
  callSign: string;

  @Column()
  rank: string;
}
